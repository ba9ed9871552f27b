"""Smoke on the bench: it is run, seen, and its source changed."""

import httpx
from playwright.sync_api import Page, expect

from tests.core.matter.smoke.scenes import smoky
from tests.web.test_browser import until
from tests.web.test_cues_page import taken_in


def test_smoke_rises_on_the_stage(page: Page, client: httpx.Client, scrap: list[int]):
    shot = taken_in(client, smoky({"cell": 0.2}, last=8) | {"name": "Steam"})
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    until(page, "window.hotgravel?.player.last === 8 && window.hotgravel.stage.frame !== null")
    page.keyboard.press("End")
    until(page, "window.hotgravel.stage.frame?.frame === 8 && window.hotgravel.stage.layers.get('smoke')?.box.visible")
    thick = page.evaluate(
        "window.hotgravel.stage.layers.get('smoke').uniforms.grid.value.image.data.reduce((a, b, i) => i % 2 ? a : Math.max(a, b), 0)"
    )
    assert thick > 100
    row = page.locator("#row-fume")
    expect(row).to_contain_text("smoke comes at")
    row.locator('[id="s-fume-temperature"]').fill("400 °C")
    row.locator('[id="s-fume-temperature"]').press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("temperature 200 °C to 400 °C")
