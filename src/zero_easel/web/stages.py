"""The zero line: the stages of a shoot, where each stands, and which needs a person."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from zero_easel.core.placing.layout import cuts_nothing
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Item
from zero_easel.library.lists.summary import RunCounts, Summary, newest_runs, summaries
from zero_easel.library.store.models import RunState, Shoot
from zero_easel.runs.service import RESTING
from zero_easel.web.page import plural


@dataclass(frozen=True)
class StageMark:
    """One mark on the zero line. state: in a few words. call: whether it needs a person now. going: whether it changes
    by itself just now."""

    key: str
    label: str
    state: str
    call: bool = False
    done: bool = False
    going: bool = False


def stages(session: Session, shoot: Shoot) -> list[StageMark]:
    """The marks of a shoot's zero line, in order."""
    return stages_of_all(session, [shoot])[shoot.id]


def stages_of_all(session: Session, shoots: Sequence[Shoot]) -> dict[int, list[StageMark]]:
    """The marks of some shoots, by their ids; two questions to the database, however many they are."""
    ids = [shoot.id for shoot in shoots]
    counts, runs = summaries(session, ids), newest_runs(session, ids)
    return {
        shoot.id: _marks(
            shoot.stale,
            shoot.standard.rules,
            counts.get(shoot.id, Summary()),
            runs.get(shoot.id),
        )
        for shoot in shoots
    }


def _marks(stale: bool, rules: Standard, at: Summary, run: RunCounts | None) -> list[StageMark]:
    settled = bool(at.part) and not at.to_settle
    needless = cuts_nothing(rules)
    cleared = bool(at.part) and (needless or (not at.waiting and not at.look))
    matching = at.unread > 0 or stale
    marks = [
        StageMark("bring-in", "Bring in", _brought(at), call=not at.photos, done=bool(at.photos)),
        StageMark("match", "Match", _matched(at), call=bool(at.to_settle), done=settled, going=matching),
        StageMark("clear", "Clear", "the backdrop is kept", done=cleared)
        if needless
        else StageMark("clear", "Clear", _cleared(at), call=at.look > 0, done=cleared, going=at.waiting > 0),
        StageMark("light", "Light", _lit(rules.item), done=bool(at.part)),
        StageMark("place", "Place", _placed(rules.item), done=bool(at.part)),
        StageMark("names", "Name", rules.names.name, done=settled),
        _deliver(run),
    ]
    back = run.sent_back if run else {}
    return [_sent_back(one, back.get(one.key, 0)) for one in marks]


def _sent_back(mark: StageMark, count: int) -> StageMark:
    """A mark with the pictures that somebody did not approve, and that are mended there."""
    return replace(mark, state=f"{count} sent back, {mark.state}", call=True) if count else mark


def _brought(at: Summary) -> str:
    if not at.photos:
        return "no photos yet"
    return plural(at.photos, "photo") + (f", {at.broken} unreadable" if at.broken else "")


def _matched(at: Summary) -> str:
    if not at.photos:
        return "nothing yet"
    if at.unread:
        return f"looking for cards, {at.unread} left"
    return f"{at.to_settle} to settle" if at.to_settle else "all known"


def _cleared(at: Summary) -> str:
    if not at.part:
        return "nothing yet"
    if at.waiting:
        return f"{at.part - at.waiting} of {at.part} cleared"
    return f"{at.part - at.look} ready, {at.look} to look at" if at.look else f"{at.part} ready"


def _lit(item: Item) -> str:
    if item.white == "backdrop" or item.exposure == "backdrop":
        both = item.white == item.exposure
        return "by the backdrop" if both else "white by the backdrop" if item.white == "backdrop" else "one exposure"
    if item.white == "given":
        return f"light of {item.temperature:g} K"
    return "as shot"


def _placed(item: Item) -> str:
    words = {"true-size": "true size", "as-shot": "as shot", "even-weight": "even weight"}
    return words.get(item.scale, f"{item.share:g} % of the {item.share_of}")


def _deliver(run: RunCounts | None) -> StageMark:
    if run is None:
        return StageMark("deliver", "Deliver", "not yet run")
    words = {RunState.RUNNING: f"{run.done} of {run.total} made", RunState.DONE: f"{run.done} made"}
    state = words.get(run.state, f"{run.state}, {run.total - run.done - run.failed} remain")
    failed = f", {run.failed} failed" if run.failed else ""
    failed += f", {run.away} turned away" if run.away else ""
    return StageMark(
        "deliver",
        "Deliver",
        state + failed,
        call=run.state in RESTING or run.away > 0,
        done=run.state == RunState.DONE,
        going=run.state == RunState.RUNNING,
    )
