"""What a user does, in a real browser: the first page, the bench, a run, a because."""

import base64
import io
import re

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.web.conftest import PATIENCE, ended


def open_burst(page: Page) -> None:
    page.goto("/")
    page.locator(".card-shot", has_text="Ember burst").get_by_role("link", name="Open").click()
    expect(page.locator("#frame-now")).to_have_text(re.compile(r"frame \d+ of 120"))


def until(page: Page, holds: str) -> None:
    """Wait for an expression; the page's own policy forbids it to evaluate one for us."""
    for _ in range(10 * PATIENCE):
        if page.evaluate(f"Boolean({holds})"):
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"never came true: {holds}")


def run_to(page: Page, last: int) -> None:
    """Press Run, and wait until a new run is whole and its last frame on the stage."""
    before = page.locator("#run-state").inner_text()
    page.locator("#run").click()
    expect(page.locator("#run-state")).not_to_have_text(before)
    expect(page.locator("#run-state")).to_have_text(re.compile(r"^Run \d+, rough$"))
    page.keyboard.press("End")
    until(page, f"window.hotgravel.player.last === {last} && window.hotgravel.stage.frame?.frame === {last}")


def frame_now(page: Page) -> int:
    return int(re.search(r"frame (\d+)", page.locator("#frame-now").inner_text())[1])


def place_of(page: Page, state: int) -> list[float]:
    """Where on the page the particle of a state stands that lies nearest to the camera."""
    return page.evaluate(
        """(state) => {
            const { stage } = window.hotgravel, f = stage.frame, box = stage.canvas.getBoundingClientRect();
            const v = stage.camera.position.clone(); let best = null, least = Infinity;
            for (const crowd of f.groups) for (let i = 0; i < crowd.count; i++) {
                if (crowd.state[i] !== state) continue;
                v.fromArray(crowd.position, 3 * i);
                const away = v.distanceTo(stage.camera.position);
                if (away < least) { least = away; best = v.clone(); }
            }
            best.project(stage.camera);
            return [box.left + (best.x * 0.5 + 0.5) * box.width, box.top + (0.5 - best.y * 0.5) * box.height];
        }""",
        state,
    )


def test_a_first_time_user_tunes_the_burst_and_reads_a_because(page: Page, demo_run: int):
    open_burst(page)
    threshold = page.get_by_role("article").filter(has_text="When one of").get_by_label("threshold").first
    expect(threshold).to_have_value("5 m/s")
    threshold.fill("700 cm/s")
    threshold.press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("threshold 5 m/s to 7 m/s")
    expect(page.locator("#run-state")).to_contain_text("older than the page")

    page.locator("#run").click()
    expect(page.locator("#cancel")).to_be_visible()
    expect(page.locator("#run-state")).to_contain_text("left")  # frames arrive, with time left
    first = frame_now(page)
    until(page, f"window.hotgravel.player.frame > {first}")
    expect(page.locator("#run")).to_be_visible()
    expect(page.locator("#run-state")).not_to_contain_text("older")
    expect(page.locator("#frame-now")).to_have_text("frame 120 of 120")

    ruler = page.locator(".lane.ruler canvas").bounding_box()
    page.mouse.click(ruler["x"] + ruler["width"] * 39.5 / 120, ruler["y"] + 8)
    until(page, "window.hotgravel.stage.frame?.frame === 40")
    expect(page.locator(".legend")).to_contain_text("falling")

    page.mouse.click(*place_of(page, 1))
    because = page.locator("#because")
    expect(because).to_contain_text("Because")
    expect(because).to_contain_text("gets slower than 7 m/s")
    expect(because).to_contain_text(re.compile(r"It had 6\.\d+ m/s"))
    because.get_by_role("button", name="frame 1", exact=True).click()
    until(page, "window.hotgravel.stage.frame.frame === 1")


def test_a_run_that_is_over_opens_where_much_goes_on(page: Page, client, demo_run: int):
    opening = client.get(f"/runs/{demo_run}.json").json()["run"]["opening"]
    assert 1 < opening < 60  # the embers are on their way, and not yet on the ground
    page.goto(f"/shots/1?run={demo_run}")
    expect(page.locator("#frame-now")).to_have_text(f"frame {opening} of 120")


def test_it_plays_at_the_shots_rate_and_is_stepped_by_key(page: Page, demo_run: int):
    page.set_viewport_size({"width": 760, "height": 520})  # a stage small enough for drawing in software
    open_burst(page)
    page.keyboard.press("Home")
    until(page, "window.hotgravel.stage.frame?.frame === 1")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    until(page, "window.hotgravel.stage.frame.frame === 12")
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_text("Pause")
    expect(page.locator("#rate-now")).to_have_text(re.compile(r"\d+ of 24 fps"))
    began = page.evaluate("[performance.now(), window.hotgravel.player.frame]")
    page.wait_for_timeout(1500)
    ended = page.evaluate("[performance.now(), window.hotgravel.player.frame, window.hotgravel.player.realRate()]")
    wanted = (ended[0] - began[0]) / 1000 * 24  # frames are skipped, time is not
    assert abs((ended[1] - began[1]) % 120 - wanted) <= 4 + 24 / max(1, ended[2])  # as late as one drawing takes
    page.keyboard.press("Space")
    page.keyboard.press("End")
    until(page, "window.hotgravel.stage.frame.frame === 120")


def test_a_typing_fault_stays_in_its_sentence(page: Page, demo_run: int):
    open_burst(page)
    speed = page.locator("#s-burst-speed")
    before = speed.input_value()
    speed.fill("quick")
    speed.press("Enter")
    fault = page.locator("#row-burst .fault")
    expect(fault).to_contain_text("'quick' is not a number. Accepted: a number in m/s")
    expect(page.locator("#s-burst-speed")).to_have_value("quick")
    page.locator("#s-burst-speed").fill(before)
    page.locator("#s-burst-speed").press("Enter")
    expect(fault).to_have_count(0)
    page.reload()
    expect(page.locator("#s-burst-speed")).to_have_value(before)


def test_a_number_is_varied_over_time_and_back(page: Page, demo_run: int):
    open_burst(page)
    page.locator("#row-vent-dome .fold").click()
    page.locator("#dials-vent-dome").get_by_label("Vary position y").select_option("keys")
    keys = page.locator("#row-vent-dome .keys")
    expect(keys.get_by_label("frame of key 2")).to_have_value("120")
    keys.get_by_label("value of key 2").fill("60 cm")
    keys.get_by_role("button", name="Set keys").click()
    expect(page.locator("#row-vent-dome .sentence .driven")).to_contain_text("0 to 0.6")
    until(page, "window.hotgravel.stage.props.find((p) => p.id === 'vent-dome').poses.length === 120")
    page.get_by_label("What drives position").select_option("number")
    expect(page.locator("#row-vent-dome .sentence .driven")).to_have_count(0)
    page.locator("#s-vent-dome-position\\.1").fill("0")
    page.locator("#s-vent-dome-position\\.1").press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("vent dome: position y")


def test_rows_are_added_and_removed_in_the_notebook(page: Page, demo_run: int):
    open_burst(page)
    forces = page.get_by_role("region", name="Forces")
    forces.locator("summary", has_text="Add").click()
    forces.get_by_role("button", name="wind").click()
    expect(page.locator("#row-wind .sentence")).to_contain_text("Wind of")
    page.locator("#row-wind select").first.select_option(label="those in falling")
    expect(page.locator(".last-edit")).to_contain_text("whom all to falling")
    page.locator("#row-wind .fold").click()
    page.locator("#row-wind").get_by_role("button", name="Remove").click()
    expect(page.locator("#row-wind")).to_have_count(0)
    page.locator("#row-plain .fold").click()
    page.locator("#row-plain").get_by_role("button", name="Remove").click()
    expect(page.locator("#row-plain .fault")).to_contain_text("Still named by landing")


def test_the_stage_is_coloured_wired_fitted_and_keeps_its_camera(page: Page, demo_run: int):
    open_burst(page)
    page.select_option("#colour-by", "speed")
    expect(page.locator("#legend")).to_contain_text("m/s or more")
    page.keyboard.press("Escape")
    page.locator("#view").focus()
    page.keyboard.press("c")
    expect(page.locator("#legend")).to_contain_text("age")
    page.locator("#wireframe").check()
    assert page.evaluate("window.hotgravel.stage.props.every((p) => p.mesh.material.wireframe)")
    box = page.locator("#view").bounding_box()
    page.mouse.move(box["x"] + 300, box["y"] + 300)
    page.mouse.down()
    page.mouse.move(box["x"] + 420, box["y"] + 330, steps=4)
    with page.expect_response("**/camera"):
        page.mouse.up()
    eye = page.evaluate("window.hotgravel.stage.view().eye")
    page.reload()
    until(page, "window.hotgravel?.stage.frame")
    again = page.evaluate("window.hotgravel.stage.view().eye")
    assert all(abs(a - b) < 1e-6 for a, b in zip(eye, again, strict=True))
    with page.expect_response("**/camera"):
        page.locator("#fit").click()


@pytest.mark.parametrize("seen", [True])
def test_a_prop_that_glows_lights_the_stage(page: Page, client, scrap: list[int]):
    number = int(client.post("/shots", data={"starter": "ember burst"}).headers["location"].split("/")[-1])
    scrap.append(number)
    client.post(f"/shots/{number}/rows/vent-dome/set", data={"path": "colour", "value": "#FFA040", "revision": 1})
    page.goto(f"/shots/{number}")
    until(page, "window.hotgravel?.stage.pieces().length")

    def red_at(x: float, y: float, z: float) -> int:
        place, drawn = page.evaluate(
            """(at) => {  // a canvas holds what was drawn only until its page is put together
                const { stage } = window.hotgravel;
                stage.look({ eye: [0, 3, 9], aim: [0, 0, 0] });
                stage.draw();
                const v = stage.camera.position.clone().fromArray(at).project(stage.camera);
                return [[v.x * 0.5 + 0.5, 0.5 - v.y * 0.5], stage.canvas.toDataURL()];
            }""",
            [x, y, z],
        )
        shown = Image.open(io.BytesIO(base64.b64decode(drawn.split(",")[1]))).convert("RGB")
        left, top = int(place[0] * shown.width), int(place[1] * shown.height)
        return int(np.asarray(shown, int)[top - 3 : top + 4, left - 3 : left + 4, 0].mean())

    dome, near, far = (0, 0.3, 0.6), (1.6, 0, 1), (-9, 0, -9)
    dull = [red_at(*at) for at in (dome, near, far)]
    page.locator("#row-vent-dome .fold").click()
    page.locator("#dials-vent-dome").get_by_label("shine").select_option("glowing")
    expect(page.locator(".last-edit")).to_contain_text("shine")
    until(page, "window.hotgravel.stage.props.some((p) => p.lamp)")
    lit = [red_at(*at) for at in (dome, near, far)]
    assert lit[0] > dull[0] + 20
    assert lit[1] > dull[1] + 10
    assert lit[2] - dull[2] < 0.5 * (lit[1] - dull[1])


def test_a_shot_is_made_renamed_run_cancelled_and_deleted(page: Page, demo_run: int):
    page.goto("/")
    page.get_by_role("button", name="cinder fountain").click()
    expect(page.locator("#invitation")).to_be_visible()
    expect(page.locator(".lane:visible .of").nth(2)).to_have_text("speed, mean / top")  # those of its matter alone
    page.locator("#s-finish-last").fill("2000")
    page.locator("#s-finish-last").press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("last 120 to 2000")
    matter = page.get_by_role("region", name="Matter")
    matter.locator("summary", has_text="Add").click()
    matter.get_by_role("button", name="state A named way").click()
    expect(page.locator("#row-state")).to_be_visible()
    page.locator("#run").click()
    until(page, "window.hotgravel.player.frame > 2")
    expect(page.locator("#notes")).to_contain_text("Nothing ever enters the state state")
    page.locator("#view").focus()
    page.keyboard.press("Escape")  # closes what is open, and never ends a run
    page.locator("#s-fountain-speed").fill("9")
    page.locator("#s-fountain-speed").press("Enter")
    expect(page.locator("#run-state")).to_contain_text("older than the page")
    page.locator("#cancel").click()
    expect(page.locator("#run-state")).to_contain_text("frames kept")
    page.get_by_label("The shot's name").fill("Tall fountain")
    page.get_by_label("The shot's name").press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("renamed to Tall fountain")
    page.get_by_role("button", name="Go on").click()
    expect(page.locator("#cancel")).to_be_visible()
    page.get_by_role("link", name="Hot Gravel").click()
    card = page.locator(".card-shot", has_text="Tall fountain")
    with page.expect_response("**/cards"):  # what is under way is told anew each second
        card.get_by_role("button", name="Rename").hover()
    card.get_by_role("button", name="Rename").click()
    card.get_by_label("Name").fill("Long fountain")
    page.wait_for_timeout(1500)
    card.locator(".rename button").click()
    card = page.locator(".card-shot", has_text="Long fountain")
    expect(card).to_contain_text("so far")
    card.get_by_role("link", name="Open").click()
    page.locator("#cancel").click()
    expect(page.locator("#run-state")).to_contain_text("frames kept")
    page.get_by_role("link", name="Hot Gravel").click()
    expect(card).to_contain_text("cancelled")
    card.get_by_role("button", name="To the bin").click()
    expect(page.locator(".card-shot", has_text="Long fountain")).to_have_count(0)
    page.get_by_role("link", name="Disk and bin").click()
    binned = page.locator(".binned", has_text="Shot Long fountain")
    binned.get_by_role("button", name="Put back").click()
    expect(page.locator(".card-shot", has_text="Long fountain")).to_have_count(1)
    page.locator(".card-shot", has_text="Long fountain").get_by_role("button", name="To the bin").click()


def test_a_run_is_downloaded_and_the_keys_are_listed(page: Page, demo_run: int):
    open_burst(page)
    page.locator("#handover summary").click()
    page.get_by_role("link", name="Geometry, tables, pictures or film").click()
    page.get_by_label("glTF").check()
    page.get_by_label("every", exact=True).fill("50")
    page.get_by_label("up axis").select_option("z")
    page.get_by_role("button", name="Hand over").click()
    made = page.locator(".handed").first
    expect(made).to_contain_text("finished, 3 files")
    with page.expect_download() as download:
        made.get_by_role("link", name="Download as a zip").click()
    assert re.fullmatch(r"run-\d+-gltf-\d+\.zip", download.value.suggested_filename)
    made.get_by_role("button", name="Remove").click()
    page.goto("/shots/1")
    expect(page.locator("#frame-now")).to_have_text(re.compile(r"frame \d+ of 120"))
    page.locator("#view").focus()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keyboard shortcuts")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Keyboard shortcuts")).to_be_hidden()


def test_edits_are_undone_by_key_and_told_in_the_history(page: Page, demo_run: int):
    open_burst(page)
    radius = page.locator("#s-burst-radius")
    before = radius.input_value()
    radius.fill("5 cm")
    radius.press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("burst: radius")
    page.locator("#view").focus()
    page.keyboard.press("Control+z")
    expect(page.locator("#s-burst-radius")).to_have_value(before)
    page.locator("#view").focus()
    page.keyboard.press("Control+y")
    expect(page.locator("#s-burst-radius")).to_have_value("0.05 m")
    page.get_by_role("link", name="History").click()
    expect(page.locator(".change .now")).to_contain_text("0.05 m in radius")
    page.locator("table tr", has_text="from the demo").get_by_role("button").click()
    expect(page.locator("#s-burst-radius")).to_have_value(before)


def test_two_runs_are_laid_side_by_side(page: Page, client, demo_run: int):
    copy = client.post("/shots", data={"starter": "cinder fountain"}).headers["location"]
    for revision, speed in ((1, "8"), (2, "5")):
        client.post(f"{copy}/rows/fountain/set", data={"path": "speed", "value": speed, "revision": revision})
        if revision == 1:
            client.post(f"{copy}/rows/finish/set", data={"path": "last", "value": "30", "revision": 1})
        run = client.post(f"{copy}/runs").json()["run"]["id"]
        ended(client, run)
    page.goto(f"{copy}/runs")
    page.get_by_role("link", name="Lay two side by side").click()
    until(page, "window.hotgravel?.sides.every((s) => s.stage.frame?.frame === 4)")
    expect(page.locator(".differing .b")).to_contain_text("at 5 m/s give or take")
    page.keyboard.press("ArrowRight")
    until(page, "window.hotgravel.sides.every((s) => s.stage.frame.frame === 5)")
    box = page.locator("#view-a").bounding_box()
    page.mouse.move(box["x"] + 200, box["y"] + 200)
    page.mouse.down()
    page.mouse.move(box["x"] + 260, box["y"] + 220, steps=3)
    page.mouse.up()
    a, b = page.evaluate("window.hotgravel.sides.map((s) => s.stage.view().eye)")
    assert a == pytest.approx(b, abs=1e-9)  # each stage turns its own, to the last digit or so
    speeds = page.evaluate("window.hotgravel.sides.map((s) => s.measured.get(20).matter.particles.mean_speed)")
    assert speeds[0] > speeds[1]
    page.mouse.click(
        *(lambda c: (c["x"] + c["width"] - 3, c["y"] + 8))(page.locator(".lane canvas").first.bounding_box())
    )
    until(page, "window.hotgravel.player.frame === 30")
    page.goto("/")
    client.post(f"{copy}/delete")


def test_nothing_but_the_notebook_scrolls(page: Page, demo_run: int):
    open_burst(page)
    sizes = page.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
    assert sizes == [1280, 800]
    whole = """() => {
        const lanes = document.getElementById("lanes"), end = lanes.getBoundingClientRect().bottom;
        return [...lanes.querySelectorAll(".lane")].every((lane) => {
            const box = lane.getBoundingClientRect();
            return box.bottom <= end + 1 || box.top >= end - 1;
        });
    }"""
    assert page.evaluate(whole)  # what is not shown is scrolled to; no lane is cut through


def test_shots_are_found_and_put_in_order(page: Page, client, scrap):
    for name in ("Zinc pond", "Aa flow", "Mud crack", "Pumice raft"):
        made = client.post("/shots", data={"starter": "bare plain"})
        scrap.append(int(made.headers["location"].split("/")[-1]))
        client.post(f"/shots/{scrap[-1]}/rename", data={"name": name})
    page.goto("/")
    page.get_by_label("in order of").select_option("name")
    expect(page.locator(".card-shot h2").first).to_have_text("Aa flow")
    page.get_by_label("find").fill("PUMICE")
    expect(page.locator(".card-shot:visible h2")).to_have_text(["Pumice raft"])


def test_edits_made_faster_than_they_are_answered_are_all_made_in_their_order(page: Page, client, scrap):
    number = int(client.post("/shots", data={"starter": "cinder fountain"}).headers["location"].split("/")[-1])
    scrap.append(number)
    page.goto(f"/shots/{number}")
    expect(page.locator("#stage-note")).to_contain_text("grid")
    page.evaluate("""() => {
        for (const [id, value] of [["speed", "5"], ["radius", "3 cm"], ["speed_spread", "40 %"], ["aim.cone", "30"], ["speed", "7"]]) {
            const field = document.getElementById(`s-fountain-${id}`);
            field.value = value;
            field.dispatchEvent(new Event("change", { bubbles: true }));
        }
    }""")
    expect(page.locator(".last-edit")).to_contain_text("Revision 6: fountain: speed 5 m/s to 7 m/s")
    made = client.get(f"/shots/{number}.json").json()["supply"][0]
    assert (made["radius"], made["speed_spread"], made["aim"]["cone"]) == (0.03, 0.4, 30)
