"""Liquid and wide water on the bench: a body of liquid is poured out, a sea is raised and a block floats on it."""

import re

import httpx
import pytest
from playwright.sync_api import Page, expect

from tests.core.matter.liquid.scenes import body_of
from tests.core.matter.rigid.scenes import body, prop, scene
from tests.core.matter.slosh.scenes import JAR, keys
from tests.web.test_browser import run_to, until
from tests.web.test_cues_page import taken_in


def added(page: Page, section: str, title: str) -> None:
    """A row of a section, as the page adds it."""
    region = page.get_by_role("region", name=section)
    region.locator("summary", has_text="Add").click()
    region.locator(".add-list").get_by_role("button", name=title, exact=False).first.click()


def heights(page: Page, surface: str) -> list[float]:
    """The lowest and the highest corner of a surface on the stage, m."""
    until(page, f"window.hotgravel.stage.skins.meshes.get('{surface}')?.visible")
    return page.evaluate(
        f"(() => {{ const y = window.hotgravel.stage.skins.meshes.get('{surface}').geometry.attributes.position.array"
        ".filter((_, n) => n % 3 === 1); return [Math.min(...y), Math.max(...y)]; })()"
    )


def points(page: Page) -> list[float]:
    """How high the points lie that are on liquid in vessels, m."""
    found = "window.hotgravel.stage.frame.groups.find((g) => g.name === 'slosh').position"
    return page.evaluate(f"[...{found}].filter((_, n) => n % 3 === 1)")


def test_a_body_of_liquid_is_made_and_runs_out(page: Page, client: httpx.Client, scrap: list[int]):
    props = [prop("rock", {"kind": "sphere", "radius": 0.3}, (2, 0.3, 0)), body_of(0.6, 0.8)]
    shot = taken_in(client, scene(props, [], 8) | {"name": "Pool"}, run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    added(page, "Matter", "liquid")
    expect(page.locator("#row-liquid")).to_be_visible()
    added(page, "Supply", "body of liquid")
    fill = page.locator("#row-body-of-liquid")
    fill.locator('[id="s-body-of-liquid-prop"]').select_option("water")
    expect(fill).to_have_attribute("data-said", "At frame 1, water is filled with liquid to 100 % of its height, 20 °C, "
                                   "going 0 m/s along 0, -1, 0, everywhere.")  # fmt: skip
    run_to(page, 8)
    low, high = heights(page, "liquid")
    assert -0.2 < low < 0.1
    assert 0.3 < high < 0.75  # it has begun to sink


def test_a_sea_is_made_its_wind_raised_and_a_block_floats(page: Page, client: httpx.Client, scrap: list[int]):
    block = prop("block", {"kind": "box", "width": 2.0, "height": 0.6, "depth": 2.0}, (0, 0.1, 0))
    meets = {"kind": "collision", "id": "floats", "props": ["block"]}
    document = scene([block], [body("block", density=400), meets], 8, ground={"position": [0, -20, 0]})
    shot = taken_in(client, document | {"name": "Sea"}, run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    added(page, "Matter", "wide water")
    expect(page.locator("#row-wide-water")).to_be_visible()
    wind = page.locator('[id="s-wide-water-wind"]')
    wind.fill("0")
    wind.press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("to 0 m/s")
    run_to(page, 8)
    before = heights(page, "wide-water")
    floats = page.evaluate("window.hotgravel.stage.frame.groups.find((g) => g.name === 'rigid').position[1]")
    assert floats > -0.2  # without water it would have fallen to -0.3 m
    wind.fill("9 m/s")
    wind.press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("to 9 m/s")
    run_to(page, 8)
    after = heights(page, "wide-water")
    assert after[1] - after[0] > before[1] - before[0] + 0.5


def test_a_jar_is_filled_carried_and_its_level_raised(page: Page, client: httpx.Client, scrap: list[int]):
    jar = prop("jar", JAR, (keys((1, 0), (4, 0), (7, 0.02), (12, 0.02)), 1, 0), shine="clear")
    shot = taken_in(client, scene([jar], [], 12) | {"name": "Jar"}, run=False)
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    added(page, "Matter", "liquid in a vessel")
    row = page.locator("#row-liquid-in-a-vessel")
    row.locator('[id="s-liquid-in-a-vessel-prop"]').select_option("jar")
    expect(row).to_have_attribute("data-said", re.compile("^Jar, with walls of 0 m, is 50 % full of liquid"))
    run_to(page, 12)
    assert heights(page, "liquid-in-a-vessel")[0] == pytest.approx(0.6, abs=0.01)  # the jar's floor
    leaning = page.locator(".lane", has_text="vessels: leaning")
    expect(leaning).to_be_visible()
    before = points(page)
    assert max(before) - min(before) > 0.01  # it swings
    level = page.locator('[id="s-liquid-in-a-vessel-level"]')
    level.fill("75 %")
    level.press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("level")
    run_to(page, 12)
    after = points(page)
    assert sum(after) / len(after) == pytest.approx(sum(before) / len(before) + 0.25 * 0.8, abs=0.02)
