"""Rigid bodies on the bench: a box is made rigid, stacked and knocked over, and one that stands is asked why."""

import json
import re

import httpx
from playwright.sync_api import Page, expect

from tests.core.matter.rigid.scenes import LANDING, UNIT_BOX, body, prop, scene
from tests.web.conftest import ended
from tests.web.test_browser import run_to, until
from tests.web.test_cues_page import plain, taken_in


def ram() -> dict:
    """A plain with a box on it, and a heavy ball that comes along the ground."""
    ball = prop("ram", {"kind": "sphere", "radius": 0.6}, (-6, 0.6001, 0))
    kick = {
        "kind": "cue", "id": "kick", "source": "ram-body", "when": {"kind": "at_frame", "frame": 2},
        "then": {"kind": "kick", "speed": 9, "aim": {"kind": "toward", "direction": [1, 0, 0], "cone": 0}},
    }  # fmt: skip
    over = {
        "kind": "cue", "id": "over", "when": {"kind": "turned_over", "angle": 40}, "then": {"kind": "enter", "state": "fallen"},
    }  # fmt: skip
    fallen = {"kind": "state", "id": "fallen", "name": "fallen", "of": "rigid", "shine": "dull"}
    rows = [body("ram", density=8000), fallen]
    return scene([prop("box", UNIT_BOX, (0, 0.5001, 0)), ball], rows, 48, cues=[kick, over]) | {"name": "Ram"}


def test_a_stack_is_built_knocked_over_and_asked(page: Page, client: httpx.Client, scrap: list[int]):
    shot = taken_in(client, ram(), run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    section = page.get_by_role("region", name="Matter")
    section.locator("summary", has_text="Add").click()
    section.get_by_role("button", name="rigid body Makes a prop").click()
    row = page.locator("#row-rigid-body")
    expect(row).to_contain_text("is rigid")
    expect(row.locator(".sentence").get_by_label("prop")).to_have_value("box")  # the first that is no sheet
    row.locator(".sentence").get_by_label("copies").select_option("stacked")
    expect(page.locator(".last-edit")).to_contain_text("stacked")
    for label, value in (("across", "1"), ("up", "4")):
        row.locator(".sentence").get_by_label(label).fill(value)
        row.locator(".sentence").get_by_label(label).press("Enter")
        expect(page.locator(".last-edit")).to_contain_text(label)
    made = next(r for r in plain(client, shot)["matter"] if r["id"] == "rigid-body")
    assert (made["prop"], made["copies"]["up"]) == ("box", 4)
    run_to(page, 48)
    told = page.evaluate(
        "() => { const g = window.hotgravel.stage.frame.groups.find((g) => g.name === 'rigid');"
        "return [g.kind, g.count, [...g.state], [...g.id], window.hotgravel.stage.layers.get('rigid').meshes.map((m) => m.count)]; }"
    )
    assert told[:2] == ["pieces", 5]
    assert told[4] == [1, 4]  # instances of both meshes
    assert 0 in told[2]  # some fell over
    standing = told[3][told[2].index(-1)]
    page.evaluate("window.hotgravel.stage.mark(null)")
    page.keyboard.press("p")
    expect(page.locator("#because h2")).to_contain_text("Body")
    for _ in range(6):
        if f"Body {standing} " in page.locator("#because h2").inner_text() + " ":
            break
        page.keyboard.press("p")
        page.wait_for_timeout(400)
    expect(page.locator("#because")).to_contain_text("kg")
    expect(page.locator("#because")).to_contain_text("Began as")
    page.locator("#why-not-cue").select_option("over")
    page.get_by_role("button", name="Ask").click()
    expect(page.locator("#why-not-told")).to_contain_text("the cue wants over 40")
    page.locator("#contacts").check()
    until(page, "window.hotgravel.stage.contacts.points?.geometry.attributes.position.count > 3")
    page.locator("#outlines").check()  # a ball is three circles, a box twelve edges; all have three axes
    until(
        page, "window.hotgravel.stage.layers.get('rigid').outlines.lines[1]?.geometry.attributes.position.count === 30"
    )
    edges = page.evaluate(
        "window.hotgravel.stage.layers.get('rigid').outlines.lines[0].geometry.attributes.position.count"
    )
    assert edges == 2 * (3 * 24 + 4 * 12)
    assert LANDING["id"] in json.dumps(plain(client, shot))
    ended(client, int(page.locator("#run-state").inner_text().split()[1].rstrip(",")))


# The edit is sent, and the row unfolded before its answer is there.
AT_ONCE = """document.activeElement.blur(); document.querySelector("#row-cutting .fold").click()"""


def test_a_prop_is_cut_pulled_apart_and_falls_in_its_pieces(page: Page, client, scrap: list[int]):
    number = int(client.post("/shots", data={"starter": "bare plain"}).headers["location"].split("/")[-1])
    scrap.append(number)
    client.post(f"/shots/{number}/guide/prop", data={"revision": 1})
    page.goto(f"/shots/{number}")
    expect(page.locator("#stage-note")).to_contain_text("grid")
    for section, kind in (("Set", "cutting"), ("Matter", "rigid body")):
        region = page.get_by_role("region", name=section)
        region.locator("summary", has_text="Add").click()
        region.locator(".add-list").get_by_role("button", name=kind).first.click()
    expect(page.locator("#row-rigid-body")).to_be_visible()
    page.locator('[id="s-cutting-manner.pieces"]').fill("12")
    page.evaluate(AT_ONCE)
    expect(page.locator("#row-cutting .report")).to_contain_text("12 pieces of")
    page.locator("#spread").fill("0.5")
    parted = "window.hotgravel.stage.parted.made[0].group"
    until(page, f"{parted}?.visible && {parted}.children.length === 12")
    page.locator("#spread").fill("0")
    page.locator('[id="s-rigid-body-copies.kind"]').select_option(label="in its pieces")
    expect(page.locator(".last-edit")).to_contain_text("in its pieces")
    page.locator("#run").click()
    until(page, "window.hotgravel.player.frame > 40 && window.hotgravel.stage.frame.groups[0].count === 12")


def test_a_long_cutting_is_watched_and_cancelled(page: Page, client, scrap: list[int]):
    block = prop("block", {"kind": "box", "width": 2, "height": 2, "depth": 2}, (0, 3, 0))
    rough = {"kind": "rough", "by": 0.02, "lumps": 0.3}
    cutting = {
        "kind": "cut",
        "id": "cutting",
        "prop": "block",
        "manner": {"kind": "random", "pieces": 500},
        "sides": rough,
    }
    shot = taken_in(client, scene([block, cutting], [], 4) | {"name": "Block"}, run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    page.locator("#row-cutting .fold").click()
    pieces = page.locator("#row-cutting .pieces")
    expect(pieces).to_contain_text("are being cut")
    pieces.get_by_role("button", name="Cancel").click()
    expect(pieces).to_contain_text("The cutting was cancelled.")
    pieces.get_by_role("button", name="Cut it again").click()
    expect(pieces).to_contain_text(re.compile(r"being cut: [1-9]\d? %"))
    expect(pieces).to_contain_text(re.compile(r"500 pieces of .* Cut in [\d.]+ s"))
    until(page, "window.hotgravel.stage.parted.made[0]?.group.children.length === 500")


def test_pieces_are_glued_struck_and_asked_why_they_hold(page: Page, client, scrap: list[int]):
    plank = prop("plank", {"kind": "box", "width": 4, "height": 0.3, "depth": 0.5}, (0, 3, 0))
    hammer = prop("hammer", {"kind": "sphere", "radius": 0.25}, (1, 4, 0))
    end = {
        "kind": "zone",
        "id": "end",
        "name": "end",
        "shape": {"kind": "block", "at": [-2, 3, 0], "size": [1.4, 2, 2]},
    }
    cutting = {"kind": "cut", "id": "cutting", "prop": "plank", "manner": {"kind": "random", "pieces": 40}}
    rows = [body("plank", copies={"kind": "pieces"}, density=2400), body("hammer", density=7900)]
    cues = [
        {"kind": "cue", "id": "falls", "source": "plank-body", "when": {"kind": "falls"}, "then": {"kind": "become"}}
    ]
    shot = taken_in(client, scene([plank, hammer, end, cutting], rows, 24, cues=cues) | {"name": "Hammer"}, run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    section = page.get_by_role("region", name="Matter")
    section.locator("summary", has_text="Add").click()
    section.get_by_role("button", name="bonds Holds the pieces").click()
    row = page.locator("#row-bonds")
    expect(row).to_contain_text("hold together")
    row.locator('[id="s-bonds-hold.kind"]').select_option("strong")
    expect(row).to_contain_text("in shear, stiffness")
    row.locator('[id="s-bonds-support.kind"]').select_option("in_zone")
    expect(row).to_contain_text("anchored in")
    for dial in ("tension", "shear"):
        row.locator(f'[id="s-bonds-hold.{dial}"]').fill("90000 MPa")
        row.locator(f'[id="s-bonds-hold.{dial}"]').press("Enter")
        expect(page.locator(".last-edit")).to_contain_text(f"{dial} ")

    run_to(page, 24)
    page.locator("#colour-by").select_option("load")
    expect(page.locator("#legend")).to_contain_text("the greatest")
    page.keyboard.press("p")
    expect(page.locator("#because")).to_contain_text("load of its bonds")
    page.locator("#why-not-cue").select_option("falls")
    page.get_by_role("button", name="Ask").click()
    expect(page.locator("#why-not-told")).to_contain_text("the cue wants over")
    page.locator("#because").get_by_role("button", name="Close").click()
    page.locator("#preflight-button").click()
    expect(page.locator("#preflight")).to_contain_text("Nothing broke")
    page.locator("#preflight").get_by_role("button", name="Set its strength").click()
    expect(page.locator(".last-edit")).to_contain_text("strength")
    run_to(page, 24)
    broken = page.evaluate(
        "[...window.hotgravel.score.measured.values()].reduce((n, g) => n + g.matter.rigid.broken, 0)"
    )
    assert broken > 0
