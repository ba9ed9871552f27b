"""Driven numbers on the page: editors, histograms that follow the playhead, zones dragged on the stage."""

import json

import httpx
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.conftest import ended
from tests.web.test_browser import until


@pytest.fixture
def shot(client: httpx.Client, scrap: list[int]) -> int:
    """A short fountain that has been run."""
    number = int(client.post("/shots", data={"starter": "cinder fountain"}).headers["location"].split("/")[-1])
    client.post(f"/shots/{number}/rows/finish/set", data={"path": "last", "value": "30", "revision": 1})
    ended(client, client.post(f"/shots/{number}/runs").json()["run"]["id"])
    scrap.append(number)
    return number


def document(client, shot):
    return client.get(f"/shots/{shot}.json").json()


def run_of(client, shot):
    return client.get(f"/shots/{shot}/runs.json").json()[0]["id"]


def open_shot(page: Page, shot: int) -> None:
    page.goto(f"/shots/{shot}")
    expect(page.locator("#frame-now")).to_contain_text("of 30")


def test_a_number_becomes_a_signal_and_signals_are_made_from_it(page: Page, client, shot: int):
    open_shot(page, shot)
    page.locator("#row-fountain .fold").click()
    page.locator("#row-fountain").get_by_label("Vary rate").select_option("wave")
    expect(page.locator("#row-fountain .sentence .driven")).to_contain_text("/s (in a wave)")
    assert document(client, shot)["supply"][0]["emit"]["rate"]["kind"] == "wave"
    driver = page.locator("#row-fountain .driver").first
    driver.get_by_label("period").fill("500 ms")
    driver.get_by_label("period").press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("period 1 s to 0.5 s")
    driver.get_by_label("What drives").first.select_option("warp")
    expect(page.locator("#row-fountain .driver .driver")).to_have_count(2)
    made = document(client, shot)["supply"][0]["emit"]["rate"]
    assert (made["kind"], made["of"]["kind"], made["of"]["period"], made["by"]["kind"]) == (
        "warp",
        "wave",
        0.5,
        "noise",
    )
    playhead = page.locator("#row-fountain .plot .now").first
    page.locator("#view").focus()
    page.keyboard.press("Home")
    expect(playhead).to_have_attribute("x1", "0")
    page.keyboard.press("End")
    expect(playhead).to_have_attribute("x1", "100")


def test_a_fault_in_a_driver_is_told_where_it_stands(page: Page, client, shot: int):
    open_shot(page, shot)
    page.locator("#row-fountain .fold").click()
    page.locator("#row-fountain").get_by_label("Vary speed", exact=True).select_option("formula")
    text = page.locator("#row-fountain .driver").get_by_label("formula")
    expect(text).to_have_value("8")
    before = document(client, shot)
    text.fill("6 + sinn(t)")
    text.press("Enter")
    expect(page.locator("#row-fountain .driver .fault")).to_contain_text("at character 5: 'sinn' is no function here")
    expect(page.locator("#row-fountain .driver").get_by_label("formula")).to_have_value("6 + sinn(t)")
    assert document(client, shot) == before


def test_a_curve_is_dragged_and_its_histogram_follows_the_playhead(page: Page, client, shot: int):
    open_shot(page, shot)
    page.locator("#row-fountain .fold").click()
    page.locator("#row-fountain").get_by_label("Vary radius", exact=True).select_option("response")
    curve = page.locator("#row-fountain .curve")
    curve.scroll_into_view_if_needed()
    page.locator("#view").focus()
    page.keyboard.press("End")
    expect(curve.locator(".bar")).to_have_count(60)
    expect(curve.locator(".shares")).to_contain_text("inside")
    late = [b.get_attribute("height") for b in curve.locator(".bar").all()]
    page.keyboard.press("Home")
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    until(
        page,
        f"JSON.stringify([...document.querySelectorAll('.curve .bar')].map((b) => b.getAttribute('height'))) !== JSON.stringify({json.dumps(late)})",
    )
    box = curve.locator("circle").nth(1).bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] - 60, box["y"] - 40, steps=4)
    page.mouse.up()
    expect(page.locator(".last-edit")).to_contain_text("Revision 4")
    points = document(client, shot)["supply"][0]["radius"]["points"]
    assert points[0] == [0, 1]
    assert points[1][0] < 0.95
    assert points[1][1] > 0.2
    svg = curve.locator("svg").bounding_box()
    page.mouse.click(svg["x"] + 0.4 * svg["width"], svg["y"] + 0.8 * svg["height"])
    expect(curve.locator("circle")).to_have_count(3)
    until(page, "document.querySelector('.last-edit').textContent.includes('Revision 5')")
    curve.locator("circle").nth(1).focus()
    page.keyboard.press("Delete")
    expect(curve.locator("circle")).to_have_count(2)
    expect(page.locator(".last-edit")).to_contain_text("Revision 6")


def test_keys_are_dragged_on_their_plot(page: Page, client, shot: int):
    open_shot(page, shot)
    page.locator("#row-fountain .fold").click()
    page.locator("#row-fountain").get_by_label("Vary speed", exact=True).select_option("keys")
    keys = page.locator("#row-fountain .keys")
    keys.get_by_label("value of key 2").fill("20")
    keys.get_by_role("button", name="Set keys").click()
    expect(page.locator("#row-fountain .sentence .driven")).to_contain_text("8 to 20 m/s")
    grip = page.locator("#row-fountain .plot .grip").nth(1)
    grip.scroll_into_view_if_needed()
    box = grip.bounding_box()
    page.mouse.move(box["x"] + 7, box["y"] + 7)
    page.mouse.down()
    page.mouse.move(box["x"] - 80, box["y"] + 30, steps=4)
    page.mouse.up()
    expect(page.locator(".last-edit")).to_contain_text("Revision 5")
    key = document(client, shot)["supply"][0]["speed"]["keys"][1]
    assert key["frame"] < 29
    assert 8 < key["value"] < 20


def test_a_zone_is_added_seen_as_weights_and_dragged_on_the_stage(page: Page, client, shot: int):
    open_shot(page, shot)
    page.get_by_role("region", name="Set").locator("summary", has_text="Add").click()
    page.get_by_role("button", name="zone A region").click()
    expect(page.locator("#row-zone")).to_be_visible()
    page.keyboard.press("End")
    for _ in range(4):
        page.keyboard.press("-")
    page.select_option("#colour-by", "zone zone")
    expect(page.locator("#legend")).to_contain_text("weight 1")
    expect(page.locator("#legend .line b")).not_to_have_text("")
    at = page.evaluate("""() => {
      const { stage } = window.hotgravel, zone = stage.outlines.zones[0], box = stage.canvas.getBoundingClientRect();
      stage.camera.updateMatrixWorld();
      const p = zone.handle.position.clone().project(stage.camera);
      return [box.left + (p.x + 1) / 2 * box.width, box.top + (1 - p.y) / 2 * box.height];
    }""")
    eye = page.evaluate("window.hotgravel.stage.view()")
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] + 40, at[1] - 60, steps=4)
    page.mouse.up()
    expect(page.locator(".last-edit")).to_contain_text("zone: middle moved")
    place = next(r for r in document(client, shot)["set"] if r["id"] == "zone")["shape"]["at"]
    assert place[1] > 0.1
    assert page.evaluate("window.hotgravel.stage.view()") == eye  # the camera stayed


def test_histograms_and_weights_are_those_of_the_kept_frame(client, server, shot: int):
    from hotgravel.core.run.frames import FrameStore

    run = run_of(client, shot)
    kept = FrameStore(server.store / "runs" / f"{run:06d}").particles(20)
    height = kept["position"][:, 1]
    told = client.get(
        f"/runs/{run}/frames/20/histogram.json", params={"attribute": "height", "begin": 0.5, "end": 2.0, "bins": 30}
    ).json()
    assert sum(told["counts"]) == ((height >= 0.5) & (height <= 2.0)).sum()
    assert told["shares"] == pytest.approx(
        [(height < 0.5).mean(), ((height >= 0.5) & (height <= 2)).mean(), (height > 2).mean()]
    )
    client.post(f"/shots/{shot}/rows", data={"kind": "zone", "section": "set", "revision": 2})
    weights = np.frombuffer(client.get(f"/runs/{run}/frames/20/weights.bin", params={"zone": "zone"}).content, "<f4")
    away = np.linalg.norm(kept["position"], axis=1)
    assert (weights[away < 0.89] == 1).all()
    assert (weights[away > 1.11] == 0).all()
    for path, status in (("99/histogram.json?attribute=age&begin=0&end=1", 404), ("20/histogram.json?attribute=luck&begin=0&end=1", 422),
                         ("20/histogram.json?attribute=age&begin=1&end=1", 422), ("20/weights.bin?zone=nowhere", 404),
                         ("20/histogram.json?attribute=distance%20to&target=moon&begin=0&end=1", 422)):  # fmt: skip
        answer = client.get(f"/runs/{run}/frames/{path}")
        assert answer.status_code == status, path
        assert len(answer.json()["detail"]) > 15


def test_palettes_are_set_and_refused_with_a_sentence(client, shot: int):
    client.post(f"/shots/{shot}/rows", data={"kind": "tint", "section": "matter", "revision": 2})
    swatches = {"path": "palette", "colour": ["#102030", "#ff0000", "#00ff00"], "weight": ["2", "1", ""], "revision": 3}
    assert client.post(f"/shots/{shot}/rows/tint/palette", data=swatches).status_code == 200
    tint = next(r for r in document(client, shot)["matter"] if r["id"] == "tint")
    assert tint["palette"] == [["#102030", 2.0], ["#ff0000", 1.0]]
    refused = client.post(
        f"/shots/{shot}/rows/tint/palette", data=swatches | {"weight": ["2", "lots", ""], "revision": 4}
    )
    assert refused.status_code == 422
    assert "Swatch 2" in refused.text
