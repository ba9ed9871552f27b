"""Every page can be used without a mouse and by assistive technology: axe finds nothing."""

import httpx
import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page

from tests.web.test_browser import until

AXE = Axe()
PAGES = {
    "shots": "/", "bench": "/shots/1", "history": "/shots/1/history", "runs": "/shots/1/runs", "disk": "/disk",
    "handover": "/runs/1/handover", "enter": "/enter", "compare": "/shots/1/compare",
}  # fmt: skip


def faults(page: Page) -> list[str]:
    """All findings, each with the places where it was found."""
    found = AXE.run(page).response["violations"]
    return [f"{v['id']} ({v['impact']}): {v['help']}: {[n['target'] for n in v['nodes']][:4]}" for v in found]


@pytest.mark.parametrize("name", PAGES)
def test_axe_finds_nothing(page: Page, client: httpx.Client, demo_run: int, name: str):
    if name == "compare" and len(client.get("/shots/1/runs.json").json()) < 2:
        client.post("/shots/1/rows/burst/set", data={"path": "seed", "value": "77", "revision": 1})
        run = client.post("/shots/1/runs").json()["run"]["id"]
        while client.get(f"/runs/{run}.json").json()["run"]["state"] in ("waiting", "running"):
            page.wait_for_timeout(100)
        client.post("/shots/1/undo", data={"revision": 2})
    page.goto(PAGES[name])
    page.wait_for_load_state("networkidle") if name != "bench" else page.locator(
        "#frame-now", has_text="of 120"
    ).wait_for()
    assert faults(page) == []
    if name == "bench":
        for fold in page.locator(".fold").all()[:4]:
            fold.click()
        page.locator(".adds summary").first.click()
        page.locator("#help-button").click()
        assert faults(page) == []


def test_a_frame_that_stands_still_is_drawn_whole_though_that_is_known_to_be_cheap_only_while_it_is_fetched(page: Page):
    page.goto("/")
    drawn = page.evaluate("""async () => {
      const { Player } = await import("/static/js/player.js");
      let most = 4000, there = 0;
      const frames = {
        kept: new Set([1]), ahead() {}, has: () => there >= most,
        get: async () => { const asked = most; await new Promise((r) => setTimeout(r, 20)); return there = asked; },
      };
      const drawn = [], player = new Player({ show: (data) => drawn.push(data), told() {} });
      player.use(frames, 1, 24);
      const first = player.draw();
      most = 50000;
      await player.draw();
      await first;
      return drawn;
    }""")
    assert drawn == [4000, 50000]


def test_the_bench_is_worked_by_keyboard_alone(page: Page, demo_run: int):
    page.goto("/shots/1")
    page.locator("#frame-now", has_text="of 120").wait_for()
    eye = "() => JSON.stringify(window.hotgravel.stage.view())"
    page.keyboard.press("Home")
    page.locator("#frame-now", has_text="frame 1 of 120").wait_for()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    page.locator("#frame-now", has_text="frame 31 of 120").wait_for()
    shown = "window.hotgravel.stage.frame"  # all of it, not some particles while it goes by
    until(page, f"{shown}?.frame === 31 && {shown}.groups.every((c) => c.every === 1)")
    before = page.evaluate(eye)
    page.keyboard.press("Alt+ArrowLeft")
    turned = page.evaluate(eye)
    page.keyboard.press("+")
    assert len({before, turned, page.evaluate(eye)}) == 3
    page.keyboard.press("p")
    page.locator("#because h2", has_text="Particle").wait_for()
    first = page.locator("#because h2").inner_text()
    page.keyboard.press("p")
    page.wait_for_timeout(50)
    page.locator("#because h2", has_not_text=first).wait_for()
    page.keyboard.press("Shift+P")
    page.locator("#because h2", has_text=first.split(" ")[1]).wait_for()
    # Everything that can be pressed or typed into is reached by Tab, in the order it stands.
    reached = page.evaluate("""async () => {
      const wanted = [...document.querySelectorAll("a[href], button, input, select, summary, #view")]
        .filter((e) => e.checkVisibility() && !e.disabled && e.type !== "hidden");
      return wanted.filter((e) => e.tabIndex < 0).map((e) => e.outerHTML.slice(0, 80));
    }""")
    assert reached == []
    page.keyboard.press("Tab")
    assert page.evaluate("document.activeElement.tagName") in ("A", "BUTTON", "INPUT", "SELECT", "SUMMARY", "CANVAS")
    page.keyboard.press("?")
    page.get_by_role("dialog", name="Keyboard shortcuts").get_by_text("pick a particle").wait_for()
