"""What a first user does, counted press by press: a press, a choice, a text typed, and Enter are one each."""

import re

import httpx
import pytest
from playwright.sync_api import Page, expect


class Hand:
    """Does what a user does on a page, and counts it."""

    def __init__(self, page: Page) -> None:
        self.page, self.count = page, 0

    def press(self, target) -> None:
        target.click()
        self.count += 1

    def begin(self, starter: str) -> None:
        self.press(self.page.get_by_role("button", name=starter))
        expect(self.page.locator("#stage-note")).to_contain_text("grid")

    def choose(self, target, label: str, *, edits: bool = True) -> None:
        before = self.page.locator("#revision").input_value()
        target.select_option(label=label)
        self.count += 1
        if edits:
            expect(self.page.locator("#revision")).not_to_have_value(before)

    def type(self, target, text: str, tells: str) -> None:
        target.fill(text)
        target.press("Enter")
        self.count += 2
        expect(self.page.locator(".last-edit")).to_contain_text(tells)

    def key(self, name: str) -> None:
        self.page.keyboard.press(name)
        self.count += 1

    def add(self, section: str, kind: str) -> None:
        region = self.page.get_by_role("region", name=section)
        self.press(region.locator("summary", has_text="Add"))
        before = self.page.locator("#revision").input_value()
        self.press(region.locator(".add-list").get_by_role("button", name=kind).first)
        expect(self.page.locator("#revision")).not_to_have_value(before)

    def run(self) -> None:
        before = self.page.locator("#run-state").inner_text()
        self.press(self.page.locator("#run"))
        expect(self.page.locator("#run-state")).not_to_have_text(before)
        expect(self.page.locator("#run-state")).to_have_text(re.compile(r"^Run \d+, rough$"))
        expect(self.page.locator("#run")).to_be_visible()


@pytest.fixture
def hand(page: Page, client: httpx.Client, scrap: list[int]):
    made = Hand(page)
    page.goto("/")
    yield made
    scrap.append(int(page.url.split("/shots/")[1].split("/")[0].split("?")[0]))


def slot(page: Page, row: str, path: str):
    return page.locator(f'[id="s-{row}-{path}"]')


def test_a_fountain_of_sparks_is_made_run_twice_and_compared(page: Page, hand: Hand, demo_run: int):
    hand.begin("cinder fountain")
    hand.type(slot(page, "fountain", "emit.rate"), "500", "rate 1500 /s to 500 /s")
    expect(page.locator("#row-fountain")).to_contain_text("2000 in all")
    hand.press(page.locator("#row-fountain .fold"))
    hand.type(page.locator("#d-fountain-life"), "36 f", "life the whole shot to 36 f")
    hand.add("Matter", "growth")
    hand.press(page.locator("#row-growth .fold"))
    hand.choose(page.locator("#row-growth .vary"), "over its life")
    expect(page.locator("#row-growth .sentence")).to_contain_text("1 to 0 × (over fraction of life)")
    hand.run()
    hand.choose(page.locator("#colour-by"), "speed", edits=False)
    expect(page.locator("#legend")).to_contain_text("m/s")
    hand.type(slot(page, "fountain", "speed"), "11", "speed 8 m/s to 11 m/s")
    hand.run()
    hand.press(page.get_by_role("link", name="Runs"))
    hand.press(page.get_by_role("link", name="Beside run").first)
    expect(page.locator("body")).to_contain_text("11 m/s")
    assert hand.count <= 30, hand.count


def test_rockets_burst_into_rings(page: Page, hand: Hand, demo_run: int):
    hand.begin("cinder fountain")
    hand.type(slot(page, "fountain", "emit.rate"), "every 12 frames", "to 2 /s")
    hand.add("Matter", "state")
    hand.type(slot(page, "state", "name"), "sparks", "name state to sparks")
    hand.add("Supply", "offshoot")
    hand.choose(slot(page, "offshoot", "emit.kind"), "when a cue sets it off")
    hand.choose(slot(page, "offshoot", "aim.kind"), "in a ring about")
    hand.choose(slot(page, "offshoot", "state"), "sparks")
    hand.add("Cues", "cue")
    hand.choose(slot(page, "cue", "when.kind"), "gets older than")
    hand.type(slot(page, "cue", "when.age"), "15 f", "15 f")
    hand.choose(slot(page, "cue", "whom"), "those in loose")
    hand.choose(slot(page, "cue", "then.kind"), "gives off")
    hand.press(page.locator("#row-cue .fold"))
    hand.choose(page.locator('[id="d-cue-second.kind"]'), "is removed")
    expect(slot(page, "cue", "when.age")).to_have_value("15 f")
    hand.run()
    expect(page.locator(".lane.cue")).to_contain_text("loose older than 15 f")
    assert hand.count <= 40, hand.count


def test_keys_alone_lead_from_the_first_page_to_a_changed_number_and_a_run(
    page: Page, hand: Hand, client, demo_run: int
):
    copy = client.post("/shots/1/duplicate", follow_redirects=False)
    assert copy.status_code == 303
    page.reload()
    hand.key("ArrowDown")
    hand.key("Enter")
    expect(page.locator("#stage-note")).to_contain_text("grid")
    hand.key("3")
    before = page.evaluate("document.activeElement.value")
    for digit in "1200":
        hand.key(digit)
    hand.key("Enter")
    expect(page.locator(".last-edit")).to_contain_text("to 1200")
    hand.key("Escape")
    hand.key("r")
    expect(page.locator("#cancel")).to_be_visible()
    assert before != "1200"
    assert hand.count <= 12, hand.count


def test_the_guide_leads_through_a_first_shot_and_goes(page: Page, hand: Hand, demo_run: int):
    page.get_by_label("called").fill("First light")
    hand.begin("bare plain")
    expect(page).to_have_title("First light · Hot Gravel")
    for press, left in (("Add a ball", 4), ("Add a source", 3), ("Add wind", 2), ("Add a cue", 1)):
        hand.press(page.locator(".guide").get_by_role("button", name=press))
        expect(page.locator(".guide li")).to_have_count(left)
    hand.run()
    expect(page.locator(".guide")).to_have_count(0)
    assert page.evaluate("window.hotgravel.stage.frame.groups[0].count") > 100
