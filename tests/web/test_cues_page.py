"""Cues, their because, preflight and the further editors, as they are used on the page."""

import io
import json

import httpx
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import GRAVITY, LOOSE, at, document, landing, source
from tests.core.cues.test_cues import cascade
from tests.web.conftest import ended
from tests.web.test_browser import until


def taken_in(client: httpx.Client, shot: dict, run: bool = True) -> int:
    files = {"file": ("it.shot.json", json.dumps(shot).encode())}
    number = int(client.post("/shots/upload", files=files).headers["location"].split("/")[-1])
    if run:
        ended(client, client.post(f"/shots/{number}/runs").json()["run"]["id"])
    return number


def plain(client: httpx.Client, shot: int) -> dict:
    return client.get(f"/shots/{shot}.json").json()


@pytest.fixture
def flares(client: httpx.Client, scrap: list[int]) -> int:
    number = taken_in(client, cascade())
    scrap.append(number)
    return number


def test_a_cue_is_built_from_nothing(page: Page, client: httpx.Client, flares: int):
    page.goto(f"/shots/{flares}")
    section = page.get_by_role("region", name="Cues")
    section.locator("summary", has_text="Add").click()
    section.get_by_role("button", name="cue Makes something").click()
    row = page.locator("#row-cue")
    expect(row).to_contain_text("When one of")
    row.locator(".sentence").get_by_label("when").select_option("travelled")
    expect(page.locator(".last-edit")).to_contain_text("has travelled more than")
    row.locator(".sentence").get_by_label("distance").fill("1.5")
    row.locator(".sentence").get_by_label("distance").press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("distance 2 m to 1.5 m")
    row.locator(".sentence").get_by_label("whom").select_option("spark")
    expect(page.locator(".last-edit")).to_contain_text("whom all to spark")
    row.locator(".sentence").get_by_label("then").select_option("kick")
    expect(page.locator(".last-edit")).to_contain_text("then is removed to is kicked")
    made = next(c for c in plain(client, flares)["cues"] if c["id"] == "cue")
    assert made["when"] == {"kind": "travelled", "distance": 1.5}
    assert (made["whom"], made["then"]["kind"]) == ("spark", "kick")


def test_a_because_is_followed_through_a_cascade_and_a_cue_is_asked_why_not(page: Page, flares: int):
    page.goto(f"/shots/{flares}")
    expect(page.locator("#frame-now")).to_contain_text("of 48")
    page.keyboard.press("End")
    until(page, "window.hotgravel.stage.frame?.frame === 48")
    page.keyboard.press("p")
    told = page.locator("#because ol li")
    expect(told.last).to_contain_text("Left the surface of vent in state flare")
    expect(page.locator("#because")).to_contain_text("Came off particle 0")
    expect(page.locator("#because")).to_contain_text("gets older than 0.5 s")
    told.filter(has_text="gets older than").locator(".why").click()
    expect(page.locator("#row-bursts")).to_be_in_viewport()
    told.filter(has_text="gets older than").locator(".at-frame").click()
    expect(page.locator("#frame-now")).to_contain_text("frame 14 of 48")
    page.locator("#why-not-cue").select_option("bursts")
    page.get_by_role("button", name="Ask").click()
    expect(page.locator("#why-not-told")).to_contain_text("It was never in flare, only in spark")


def test_a_bar_of_a_lane_goes_to_its_frame_and_rings_whom_it_concerned(page: Page, flares: int):
    page.goto(f"/shots/{flares}")
    expect(page.locator("#frame-now")).to_contain_text("of 48")
    lane = page.locator(".lane.cue", has_text="bursts").locator("canvas")
    box = lane.bounding_box()
    page.mouse.click(box["x"] + box["width"] * 13.5 / 48, box["y"] + 12)
    expect(page.locator("#frame-now")).to_contain_text("frame 14 of 48")
    for _ in range(50):
        if page.evaluate("window.hotgravel.stage.rings?.geometry.attributes.position.count ?? 0") == 1:
            break
        page.wait_for_timeout(100)
    assert page.evaluate("window.hotgravel.stage.rings.visible")


def test_preflight_counts_tells_and_a_remedy_is_applied(page: Page, client: httpx.Client, scrap: list[int]):
    late = {"kind": "state", "id": "late", "name": "late"}
    shot = taken_in(
        client, document(set=at(2.0), matter=[LOOSE, late, landing()], forces=[GRAVITY | {"whom": "late"}]), run=False
    )
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    button = page.locator("#preflight-button")
    expect(button).to_have_text("Preflight: 1 wrong, 1 doubtful")
    button.click()
    line = page.locator(".finding", has_text="No particle is ever in late")
    expect(line).to_contain_text("gravity")
    expect(page.locator("#preflight")).to_contain_text("The shot has not run yet.")
    line.get_by_role("button", name="Let all feel it").click()
    expect(page.locator(".last-edit")).to_contain_text("let all feel it")
    expect(button).to_have_text("Preflight: 1 doubtful")
    expect(page.locator(".finding")).to_have_count(1)
    assert plain(client, shot)["forces"][0]["whom"] is None
    page.keyboard.press("Escape")
    expect(page.locator("#preflight")).to_be_hidden()


def test_preflight_says_which_run_it_looked_at(client: httpx.Client):
    shot = taken_in(client, document(set=at(2.0)))
    run = client.get(f"/shots/{shot}/runs.json").json()[0]["id"]
    assert f"Nothing found in run {run}." in client.get(f"/shots/{shot}/preflight").text
    client.post(f"/shots/{shot}/rows/finish/set", data={"path": "last", "value": "30", "revision": 1})
    told = client.get(f"/shots/{shot}/preflight").text
    assert f"The page has changed since run {run}. Run it again to be told." in told
    client.post(f"/shots/{shot}/delete")


def test_a_stroke_is_drawn_on_the_stage(page: Page, client: httpx.Client, scrap: list[int]):
    strokes = {"kind": "zone", "id": "chalk", "name": "chalk", "shape": {"kind": "strokes", "radius": 0.4}}
    shot = document(set=[*at(1.0), strokes])
    number = taken_in(client, shot, run=False)
    scrap.append(number)
    page.goto(f"/shots/{number}")
    page.locator("#row-chalk .fold").click()
    page.locator("#row-chalk [data-draw]").click()
    box = page.locator("#view").bounding_box()
    eye = page.evaluate("window.hotgravel.stage.view()")
    page.mouse.move(box["x"] + 0.35 * box["width"], box["y"] + 0.75 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.6 * box["width"], box["y"] + 0.8 * box["height"], steps=8)
    page.mouse.up()
    expect(page.locator(".last-edit")).to_contain_text("chalk: stroke of")
    points = np.array(plain(client, number)["set"][-1]["shape"]["points"])
    assert len(points) >= 3
    assert points[:, 1] == pytest.approx(np.zeros(len(points)), abs=1e-3)  # on the ground
    assert page.evaluate("window.hotgravel.stage.view()") == eye


def test_a_table_becomes_a_signal_and_a_picture_a_palette(page: Page, client: httpx.Client, scrap: list[int]):
    tint = {"kind": "tint", "id": "paint"}
    shot = taken_in(client, document(set=at(1.0), matter=[LOOSE, tint], forces=[GRAVITY], supply=[source()]), run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    page.locator("#row-gravity .fold").click()
    page.locator("#dials-gravity").get_by_label("Vary strength").select_option("swell")
    plot = page.locator("#dials-gravity .driver").first
    expect(plot).to_contain_text("Load CSV")
    table = client.get(f"/shots/{shot}/rows/gravity/signal.csv", params={"path": "strength"})
    assert table.text.splitlines()[0] == "frame,value [m/s²]"
    assert len(table.text.splitlines()) == 26
    plot.locator("input[type=file]").set_input_files(
        {"name": "t.csv", "mimeType": "text/csv", "buffer": b"frame,value\n1,2\n25,8\n"}
    )
    expect(page.locator(".last-edit")).to_contain_text("strength")
    expect(page.locator("#row-gravity .sentence")).to_contain_text("2 to 8 m/s²")
    pixels = np.zeros((40, 40, 3), np.uint8)
    pixels[:, :10], pixels[:, 10:] = (200, 67, 27), (38, 40, 43)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    page.locator("#row-paint .fold").click()
    page.locator("#dials-paint input[name=picture]").set_input_files(
        {"name": "p.png", "mimeType": "image/png", "buffer": out.getvalue()}
    )
    expect(page.locator(".last-edit")).to_contain_text("palette")
    colours = [c for c, _ in next(r for r in plain(client, shot)["matter"] if r["id"] == "paint")["palette"]]
    assert colours[0] == "#26282B"
    assert "#C8431B" in colours


def test_a_retime_is_played_and_handed_over(page: Page, client: httpx.Client, scrap: list[int]):
    back = {"kind": "keys", "keys": [{"frame": 1, "value": 25, "ease": "linear"}, {"frame": 25, "value": 1}]}
    shot = taken_in(client, document(set=at(2.0), finish={"last": 25, "retime": back}))
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    expect(page.locator("#frame-now")).to_contain_text("of 25")
    expect(page.locator("#retimed")).to_be_checked()
    assert page.evaluate("window.hotgravel.player.shownAt[0]") == 25
    run = client.get(f"/shots/{shot}/runs.json").json()[0]["id"]
    page.goto(f"/runs/{run}/handover")
    expect(page.get_by_label("as the shot retimes them")).to_be_checked()
