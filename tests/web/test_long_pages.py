"""A page of many sentences: found, folded, titled, pointed at; and pages that others, or Back, have changed."""

import re
import time

import httpx
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_browser import until


@pytest.fixture
def shot(client: httpx.Client, scrap: list[int]) -> int:
    scrap.append(int(client.post("/shots", data={"starter": "cinder fountain"}).headers["location"].split("/")[-1]))
    return scrap[-1]


def opened(page: Page, shot: int) -> None:
    page.goto(f"/shots/{shot}")
    until(page, "window.hotgravel?.stage.pieces().length")


def typed(page: Page, field: str, text: str, tells: str) -> None:
    page.locator(field).fill(text)
    page.locator(field).press("Enter")
    expect(page.locator(".last-edit")).to_contain_text(tells)


def test_sentences_are_found_by_words_and_by_how_they_stand(page: Page, client, shot):
    client.post(f"/shots/{shot}/rows/gravity/switch", data={"on": "0", "revision": 1})
    opened(page, shot)
    for words, there in {"off": ["gravity"], "driven": [], "vent mouth": ["mouth", "fountain"]}.items():
        page.keyboard.press("/")
        page.locator("#find-row").fill(words)
        expect(page.locator("#found")).to_have_text(f"{len(there)} of 7 sentences")
        for row in there:
            expect(page.locator(f"#row-{row}")).to_be_visible()
        page.keyboard.press("Escape")
    page.locator("[data-fold=set]").click()
    page.reload()
    expect(page.locator("[data-fold=set]")).to_have_attribute("aria-expanded", "false")
    expect(page.locator("#row-mouth")).to_be_hidden()


def test_rows_are_titled_and_switched_off_together_and_lit_on_the_stage(page: Page, client, shot):
    opened(page, shot)
    page.locator("#row-fountain .fold").click()
    typed(page, "#group-fountain", "jets", "under “jets”")
    page.locator("[data-group='supply/jets'] h3").get_by_text("Switch off").click()
    expect(page.locator("#row-fountain .off-note")).to_be_visible()
    page.locator("#row-mouth .sentence").hover()
    until(page, "window.hotgravel.stage.pointing.ids === 'mouth'")
    at = page.evaluate("""() => {
        const { stage } = window.hotgravel, box = stage.canvas.getBoundingClientRect();
        const v = stage.camera.position.clone().set(0, 0.05, 0).project(stage.camera);
        return [box.left + (v.x * 0.5 + 0.5) * box.width, box.top + (0.5 - v.y * 0.5) * box.height]; }""")
    page.mouse.click(*at)
    because = page.locator("#because")
    expect(because.get_by_role("heading")).to_have_text("vent mouth")
    expect(because.get_by_role("button", name="From the surface of vent mouth")).to_be_visible()


def test_the_page_is_as_it_is_now_after_back_and_tells_of_edits_elsewhere(page: Page, client, shot):
    opened(page, shot)
    typed(page, "#s-fountain-speed", "5", "to 5 m/s")
    page.get_by_role("link", name="Runs").click()
    expect(page).to_have_url(re.compile("/runs$"))
    page.go_back()
    expect(page.locator("#s-fountain-speed")).to_have_value("5 m/s")
    until(page, "window.hotgravel?.stage.pieces().length")
    client.post(f"/shots/{shot}/rows/fountain/set", data={"path": "radius", "value": "7 cm", "revision": 2})
    expect(page.locator("#elsewhere")).to_contain_text("the page (revision 3)")
    page.locator("#s-fountain-radius").fill("3 cm")
    page.locator("#s-fountain-radius").press("Enter")
    fault = page.locator("#row-fountain .fault")
    expect(fault).to_contain_text("Nothing was overwritten. It now says:")
    expect(page.locator("#s-fountain-radius")).to_have_value("0.07 m")
    fault.get_by_role("button", name="Put mine: 3 cm").click()
    expect(page.locator("#s-fountain-radius")).to_have_value("0.03 m")


def test_what_is_typed_while_an_edit_is_on_its_way_stays_and_goes_on(page: Page, shot):
    opened(page, shot)
    page.route("**/set", lambda route: (time.sleep(0.7), route.continue_()))
    speed, radius = page.locator("#s-fountain-speed"), page.locator("#s-fountain-radius")
    for field, first, rest, becomes in ((radius, "1", "2 cm", "0.12 m"), (speed, "6", "0", "60 m/s")):
        speed.fill("6" if field is speed else "5")
        speed.press("Enter")
        if field is not speed:  # in another field, or on in the same
            field.fill(first)
        page.keyboard.type(rest[0])
        expect(page.locator(".last-edit")).to_contain_text("speed")
        page.keyboard.type(rest[1:])
        expect(field).to_have_value(first + rest)
        field.press("Enter")
        expect(field).to_have_value(becomes)
