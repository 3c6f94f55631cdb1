"""Cutouts taken as they are from the wall."""

import io
import zipfile

from fastapi.testclient import TestClient
from PIL import Image


def taken(client: TestClient, **asked: str) -> dict[str, Image.Image]:
    answer = client.get("/shoots/1/cutouts.zip", params=asked)
    assert answer.headers["content-disposition"] == 'attachment; filename="Row-cutouts.zip"'
    with zipfile.ZipFile(io.BytesIO(answer.content)) as files:
        return {name: Image.open(io.BytesIO(files.read(name))) for name in files.namelist()}


def test_all_or_the_chosen_cropped_or_within_the_frame(cleared: TestClient) -> None:
    cropped, whole = taken(cleared), taken(cleared, framing="whole")
    assert set(cropped) == set(whole) == {"BY-2104-BL front.png", "BY-2102 front.png"}
    for name, picture in whole.items():
        assert picture.mode == "RGBA" and picture.size == (800, 600)
        box = picture.getbbox()
        assert box is not None and cropped[name].size[0] < 800
        # The same px, wherever they lie.
        inside = cropped[name].getbbox()
        assert inside is not None
        assert picture.crop(box).tobytes() == cropped[name].crop(inside).tobytes()
    assert set(taken(cleared, chosen="2")) == {"BY-2102 front.png"}
    page = cleared.get("/shoots/1/clear").text
    assert 'form="take-cutouts"' in page and "Take the cutouts" in page
