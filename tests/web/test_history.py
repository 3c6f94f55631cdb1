"""One history: a step is taken back once, from whatever page it is taken back."""

from fastapi.testclient import TestClient


def rule(client: TestClient, field: str) -> str:
    """A rule of the shoot's standard, as it is kept now."""
    answer = client.post("/shoots/1/place/rule", data={"field": "item.share", "value": "not a number"})
    return str(answer.json()["values"][field])


def place(client: TestClient, direction: str) -> str:
    return str(client.post(f"/shoots/1/place/step/{direction}").json()["message"])


def test_rules_changed_on_two_pages_are_undone_one_by_one(cleared: TestClient) -> None:
    cleared.post("/standards/1/rule", data={"field": "item.share", "value": "80"})
    cleared.post("/shoots/1/place/rule", data={"field": "item.margin", "value": "4%"})
    assert (rule(cleared, "item.share"), rule(cleared, "item.margin")) == ("80", "4%")

    assert "margin" in place(cleared, "undo")
    assert (rule(cleared, "item.share"), rule(cleared, "item.margin")) == ("80", "6%")
    cleared.post("/standards/1/step/undo")
    assert (rule(cleared, "item.share"), rule(cleared, "item.margin")) == ("84", "6%")
    assert "nothing to undo" in place(cleared, "undo").lower()

    cleared.post("/standards/1/step/redo")
    assert "margin" in place(cleared, "redo")
    assert (rule(cleared, "item.share"), rule(cleared, "item.margin")) == ("80", "4%")
    assert "nothing to redo" in place(cleared, "redo").lower()


def test_what_is_done_after_an_undo_takes_its_place(cleared: TestClient) -> None:
    for value in ("80", "70"):
        cleared.post("/standards/1/rule", data={"field": "item.share", "value": value})
    cleared.post("/standards/1/step/undo")
    cleared.post("/shoots/1/place/rule", data={"field": "item.margin", "value": "4%"})
    cleared.post("/standards/1/step/redo")
    assert (rule(cleared, "item.share"), rule(cleared, "item.margin")) == ("80", "4%")


def test_places_and_rules_are_undone_in_the_order_in_which_they_were_done(cleared: TestClient) -> None:
    cleared.post("/shoots/1/place/adjust", json={"photos": [1], "right": 5, "down": 0})
    cleared.post("/shoots/1/place/rule", data={"field": "item.share", "value": "80"})
    assert "share" in place(cleared, "undo")
    assert "BY-2104-BL" in place(cleared, "undo")
    row = cleared.post("/shoots/1/place/step/redo").json()["row"]["items"]
    assert row[0]["moved"] and rule(cleared, "item.share") == "84"
