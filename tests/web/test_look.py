"""The stage and pictures made without a browser show the same light: one camera, pixel by pixel in coarse blocks."""

import base64
import io

import httpx
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page

from hotgravel.core.picture.still import Painter
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import FOLDER, demo_path
from tests.web.conftest import Server
from tests.web.test_browser import until
from tests.web.test_cues_page import taken_in

BARE = """() => { const s = window.hotgravel.stage;
  for (const thing of [s.grid, s.ring, s.outlines.group]) thing.visible = false;
  s.draw(); return [s.canvas.width, s.canvas.height, s.canvas.toDataURL()]; }"""


@pytest.fixture
def scale() -> float:
    return 1.0


@pytest.fixture
def seen() -> bool:
    return True


def blocks(pixels: np.ndarray) -> np.ndarray:
    """The means of 16 by 9 blocks, in shares of full."""
    small = Image.fromarray(pixels).resize((16, 9), Image.Resampling.BOX)
    return np.asarray(small, float) / 255.0


@pytest.mark.parametrize(
    ("name", "frames", "light"),
    [("ember-burst", 20, "dusk"), ("cairn", 3, "dusk"), ("cairn", 3, "working"), ("tallow-lantern", 12, "dusk")],
)
def test_stage_and_pictures_show_the_same(
    page: Page, client: httpx.Client, server: Server, scrap: list[int], name, frames, light
):
    document = load(demo_path(name)).dump()
    document["finish"] |= {"last": document["finish"]["first"] + frames, "light": light, "quality": "rough"}
    shot = taken_in(client, document)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    last = document["finish"]["last"]
    until(page, f"window.hotgravel?.player.frames?.kept.has({last})")
    page.wait_for_timeout(500)
    page.keyboard.press("End")
    until(page, f"window.hotgravel.stage.frame?.frame === {last}")
    until(page, "window.hotgravel.stage.frame.groups.every((crowd) => crowd.every === 1)")  # none is left out
    run = client.get(f"/shots/{shot}/runs.json").json()[0]["id"]
    store = FrameStore(server.store / "runs" / f"{run:06d}")
    painter = Painter(build(load(store.note("shot.json")), beside(FOLDER)), store)
    view = painter.seen_from_where()
    page.evaluate("(view) => window.hotgravel.stage.look(view)", {"eye": view.eye.tolist(), "aim": view.aim.tolist()})
    page.wait_for_timeout(1000)  # skins are fetched
    width, height, data = page.evaluate(BARE)
    shown = np.asarray(Image.open(io.BytesIO(base64.b64decode(data.split(",")[1]))).convert("RGB"))
    stage, picture = blocks(shown), blocks(painter.pixels(last, (width, height)))
    # What differs is how embers glow and how shadows' edges are softened: a few hundredths, in few blocks.
    assert np.abs(stage.mean(axis=(0, 1)) - picture.mean(axis=(0, 1))).max() < 0.03
    assert np.abs(stage - picture).mean() < 0.03
    assert np.corrcoef(stage.ravel(), picture.ravel())[0, 1] > 0.95
