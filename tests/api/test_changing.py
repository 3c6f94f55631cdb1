"""What two may edit: nobody overrules what he has not seen, and nothing is lost."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from programs import Program, problem, told

EDITABLE = {
    "/shoots/1": ("PATCH", {"name": "One"}, {"name": "Other"}),
    "/photos/1": ("PATCH", {"left_out": True}, {"accepted": True}),
    "/photos/1/match": ("PUT", {"code": "BY-2102", "view": "side"}, {"code": "BY-2104"}),
    "/photos/1/placing": ("PUT", {"scale": 1.1}, {"scale": 0.9}),
    "/products/BY-2102": ("PUT", {"name": "One"}, {"name": "Other"}),
}


@pytest.mark.parametrize("path", EDITABLE)
def test_of_two_with_one_version_one_wins_and_the_other_loses_nothing(path: str, program: Program) -> None:
    method, *bodies = EDITABLE[path]
    seen, ready = program.seen(path), threading.Barrier(2)

    def write(body: object) -> int:
        ready.wait()
        answer = program.change(method, path, body, seen)
        if answer.status_code == 412:
            assert "changed it since" in problem(answer, 412)
            assert answer.headers["ETag"] == program.seen(path) != seen
        return answer.status_code

    with ThreadPoolExecutor(2) as pool:
        assert sorted(pool.map(write, bodies)) == [200, 412]
    # Whoever lost reads again, and has his way then.
    after = program.seen(path)
    for body in bodies:
        told(program.change(method, path, body))
    assert program.seen(path) != seen and after != seen


def test_a_version_has_to_be_named(program: Program) -> None:
    for path, (method, body, _) in EDITABLE.items():
        assert "If-Match" in problem(program.ask(method, path, json=body), 428), path
        assert problem(program.change(method, path, body, '"another"'), 412)
    told(program.change("PATCH", "/shoots/1", {"cards": False}, "*"))
    seen = program.seen("/shoots/1")
    told(program.change("PATCH", "/shoots/1", {"cards": True}, f'"another", {seen}'))


def test_what_is_said_of_a_shoot(program: Program) -> None:
    changed = told(program.change("PATCH", "/shoots/1", {"name": " Winter\n table ", "stop_at_failure": True}))
    assert changed["name"] == "Winter table" and changed["stop_at_failure"] and changed["cards"]
    assert "no such standard" in problem(program.change("PATCH", "/shoots/1", {"standard": 77}), 404)
    assert "cannot be" in problem(program.change("PATCH", "/shoots/1", {"nam": "x"}), 422)
    assert program.get("/shoots/1")["name"] == "Winter table"
    standard = program.post("/standards", {"name": "Spring", "like": 1})
    assert told(program.change("PATCH", "/shoots/1", {"standard": standard["id"]}))["standard"] == standard["id"]
    other = program.post("/shoots", {"name": "For nothing"})
    assert told(program.change("DELETE", f"/shoots/{other['id']}")) is None
    assert "no such shoot" in problem(program.ask("GET", f"/shoots/{other['id']}"), 404)
    assert told(program.change("DELETE", "/shoots/1")) is None and program.all("/runs") == []


def test_matches_are_said_confirmed_and_taken_back(program: Program) -> None:
    before = program.get("/photos/2/match")
    assert (before["code"], before["by_hand"], before["in_catalog"]) == ("BY-2102", False, True)
    said = told(program.change("PUT", "/photos/2/match", {"code": "by-2104", "view": "back"}))
    assert (said["code"], said["view"], said["by_hand"], said["why"]) == ("BY-2104", "back", True, "by hand")
    unknown = told(program.change("PUT", "/photos/2/match", {"code": "NEW-1"}))
    assert unknown["code"] == "NEW-1" and not unknown["in_catalog"]
    assert program.get("/shoots/1/photos")["items"][1]["code"] == "NEW-1"
    assert told(program.change("DELETE", "/photos/2/match")) == before


def test_marks_are_drawn_and_taken_back(program: Program) -> None:
    marks = {"marks": [{"kind": "backdrop", "points": [[20.5, 30], [40, 34]], "radius": 12}]}
    answer = program.change("POST", "/photos/1/marks", marks, program.seen("/photos/1/marks"))
    assert told(answer)["undo"] == 1 and program.get("/photos/1")["clearing"] in ("waiting", "done")
    seen = answer.headers["ETag"]
    back = program.ask("POST", "/photos/1/marks/undo", headers={"If-Match": seen})
    assert told(back) == {"marks": [], "undo": 0, "redo": 1}
    again = program.ask("POST", "/photos/1/marks/redo", headers={"If-Match": back.headers["ETag"]})
    assert told(again)["marks"][0]["kind"] == "backdrop"
    nothing = program.ask("POST", "/photos/1/marks/redo", headers={"If-Match": again.headers["ETag"]})
    assert "nothing to redo" in problem(nothing, 409)
    wrong = program.change("POST", "/photos/1/marks", {"marks": [{"kind": "moon", "points": []}]}, "*")
    assert "cannot be" in problem(wrong, 422) and {"body.marks.0.kind", "body.marks.0.points"} <= {
        one["at"] for one in wrong.json()["errors"]
    }


def test_places_by_hand_and_by_rule(program: Program) -> None:
    placed = told(program.change("PUT", "/photos/1/placing", {"turn": 3, "right": -2.5}))
    assert (placed["turn"], placed["right"], placed["scale"]) == (3, -2.5, 1)
    assert told(program.change("DELETE", "/photos/1/placing"))["turn"] is None
    assert program.change("PUT", "/photos/1/placing", {"turn": 4000}, "*").status_code == 422
    for text in ('{"turn": NaN}', '{"scale": Infinity}', '{"keep": [1, NaN]}'):
        headers = {"If-Match": "*", "Content-Type": "application/json"}
        assert program.ask("PUT", "/photos/1/placing", content=text, headers=headers).status_code == 422


def test_products_come_in_and_are_changed(program: Program) -> None:
    known = len(program.all("/products"))
    new = {"name": "Jug 2 l", "ean": "4006381333931", "height_mm": 210.5, "extra": {"material": "stoneware"}}
    made = told(program.ask("PUT", "/products/BY 9/9", json=new))
    assert made["code"] == "BY 9/9" and made["extra"] == {"material": "stoneware"} and made["width_mm"] is None
    assert program.get("/products/by 9/9") == made and len(program.all("/products")) == known + 1
    changed = told(program.change("PUT", "/products/BY 9/9", {"colour": "blue"}))
    assert changed == {**made, "colour": "blue"}
    wrong = program.ask("PUT", "/products/BY-1", json={"ean": "123", "width_mm": -1, "extra": {"Not So": "x"}})
    assert {"body.ean", "body.width_mm", "body.extra"} == {one["at"] for one in wrong.json()["errors"]}
    assert [one["code"] for one in program.all("/products", search="jug 4006")] == ["BY 9/9"]


def test_rules_are_changed_as_a_whole(program: Program) -> None:
    rules = program.get("/standards/1")["rules"]
    rules["canvas"] |= {"width": 900, "height": 700}
    whole = told(program.change("PUT", "/standards/1/rules", rules, program.seen("/standards/1")))
    assert whole["rules"]["canvas"]["width"] == 900 and whole["version"] == 2
    versions = program.get("/standards/1/versions")["versions"]
    assert [one["number"] for one in versions] == [2, 1] and versions[1]["runs"] == [1] and versions[0]["changes"]
    rules["names"]["name"] = "{moon}"
    refused = program.change("PUT", "/standards/1/rules", rules, program.seen("/standards/1"))
    assert "moon" in problem(refused, 409) or refused.status_code == 422
    assert "# " in program.ask("GET", "/standards/1/file").text
    used = program.change("DELETE", "/standards/1", seen=program.seen("/standards/1"))
    assert "shoots use it" in problem(used, 409)
    other = program.post("/standards", {"name": "Spring", "rules": {**whole["rules"], "name": "ignored"}})
    assert other["name"] == "Spring" and other["rules"]["canvas"]["width"] == 900
    assert program.change("DELETE", f"/standards/{other['id']}").status_code == 204
