"""On pages: what would be made and why, a trial, the run, another size, two runs beside each other."""

import re
import time

from fastapi.testclient import TestClient


def done(client: TestClient, address: str) -> str:
    """A run's page once it is at its end."""
    end = time.monotonic() + 240
    while 'data-state="done"' not in (page := client.get(address).text):
        assert time.monotonic() < end
        time.sleep(0.05)
    return page


def test_trial_run_another_size_and_comparison(cleared: TestClient) -> None:
    client = cleared
    assert client.get("/shoots/1/forecast").text.strip() == ""
    trial = client.post("/shoots/1/trial")
    page = done(client, str(trial.url))
    assert "The trial is done" in page and "They go when the run starts" in page and "another size" not in page
    client.post("/shoots/1/runs")
    assert client.get(str(trial.url)).status_code == 404
    newest = re.findall(r'href="/runs/(\d+)"', client.get("/runs").text)[0]
    page = done(client, f"/runs/{newest}")
    assert "kept from before, 0 made" in page and "Try again what failed" not in page
    told = client.get("/shoots/1/forecast").text
    assert "All 2 pictures are there already" in told
    client.post("/shoots/1/light/rule", data={"field": "item.brightness", "value": "0.5"})
    told = client.get("/shoots/1/forecast").text
    assert "2 are made because" in told and "the rules changed: brightness 0 stops" in told

    refused = client.post(f"/runs/{newest}/again", data={"deliverable": "none", "longest": "300"})
    assert refused.status_code == 409 and "no deliverable called none" in refused.text
    again = client.post(f"/runs/{newest}/again", data={"deliverable": "shop", "longest": "300"})
    page = done(client, str(again.url))
    table = client.get(f"{again.url}?show_as=table").text
    assert "300" in table and f"/beside/{newest}" in page
    beside = client.get(f"{again.url}/beside/{newest}").text
    assert ">2 changed<" in beside and "The standard says otherwise" in beside
    assert client.get(f"{again.url}/beside/99").status_code == 404


def test_a_trial_of_chosen_photos_is_of_these_alone(cleared: TestClient) -> None:
    photo = cleared.get("/shoots/1/row").json()["items"][1]["id"]
    page = cleared.post("/shoots/1/trial", data={"chosen": [str(photo)]}).text
    assert "Trial" in page
    while cleared.get("/runs/1/told").status_code == 204:
        time.sleep(0.05)
    assert "is done: 1 picture." in cleared.get("/runs/1/told").text
    nobody = cleared.post("/shoots/1/trial", data={"chosen": ["999"]})
    assert nobody.status_code == 409 and "None of the photos that were chosen" in nobody.text
