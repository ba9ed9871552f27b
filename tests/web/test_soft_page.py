"""Cloth on the bench: a sheet is pinned at a corner, dropped over a rock, stiffened and compared."""

import re

import httpx
from playwright.sync_api import Page, expect

from tests.core.matter.rigid.scenes import prop, scene
from tests.core.matter.soft.scenes import SHEET, pins
from tests.web.test_browser import run_to, until
from tests.web.test_cues_page import taken_in


def test_a_sheet_is_pinned_dropped_over_a_rock_stiffened_and_compared(
    page: Page, client: httpx.Client, scrap: list[int]
):
    rock = prop("rock", {"kind": "sphere", "radius": 0.4}, (0, 0.4, 0))
    corner = pins((0, 0, 0), (1, 1, 1)) | {"shape": {"kind": "strokes", "points": [[-0.5, 1.2, -0.5]], "radius": 0.2}}
    shot = taken_in(
        client, scene([rock, prop("sheet", SHEET, (0, 1.2, 0)), corner], [], 10, landing={"props": ["ground", "rock"]})
        | {"name": "Sheet"}, run=False,
    )  # fmt: skip
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    matter = page.get_by_role("region", name="Matter")
    matter.locator("summary", has_text="Add").click()
    matter.locator(".add-list").get_by_role("button", name="cloth", exact=False).first.click()
    row = page.locator("#row-cloth")
    expect(row).to_have_attribute("data-said", re.compile("is cloth in 24 segments"))
    row.locator('[id="s-cloth-prop"]').select_option("sheet")
    expect(row).to_have_attribute("data-said", re.compile("^The sheet is cloth"))
    row.locator('[id="s-cloth-pins"]').select_option("pins")
    expect(page.locator(".last-edit")).to_contain_text("pinned")

    run_to(page, 10)
    until(page, "window.hotgravel.stage.layers.get('soft')?.made[0]?.mesh.visible")
    low, high = page.evaluate(
        "(() => { const y = window.hotgravel.stage.layers.get('soft').made[0].geometry.attributes.position.array"
        ".filter((_, n) => n % 3 === 1); return [Math.min(...y), Math.max(...y)]; })()"
    )
    assert low < 0.9  # it hangs
    assert abs(high - 1.2) < 0.01  # by its corner
    bend = row.locator('[id="s-cloth-bend"]')
    bend.fill("0.01 N m")
    bend.press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("bending")
    run_to(page, 10)
    page.goto(f"/shots/{shot}/compare")
    expect(page.locator("main")).to_contain_text("bending")
