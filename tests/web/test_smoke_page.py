"""Smoke on the bench: it is run, seen, and its source changed."""

import httpx
from playwright.sync_api import Page, expect

from tests.core.matter.smoke.scenes import smoky
from tests.web.test_browser import run_to, until
from tests.web.test_cues_page import taken_in


def test_smoke_rises_on_the_stage(page: Page, client: httpx.Client, scrap: list[int]):
    shot = taken_in(client, smoky({"cell": 0.2}, last=8) | {"name": "Steam"})
    scrap.append(shot)
    page.goto(f"/shots/{shot}")
    until(page, "window.hotgravel?.player.last === 8 && window.hotgravel.stage.frame !== null")
    page.keyboard.press("End")
    until(page, "window.hotgravel.stage.frame?.frame === 8 && window.hotgravel.stage.layers.get('smoke')?.box.visible")
    grid = "window.hotgravel.stage.layers.get('smoke').uniforms.grid.value.image.data"
    until(page, f"{grid}.reduce((a, b, i) => i % 2 ? a : Math.max(a, b), 0) > 100")
    row = page.locator("#row-fume")
    expect(row).to_contain_text("smoke comes at")
    row.locator('[id="s-fume-temperature"]').fill("400 °C")
    row.locator('[id="s-fume-temperature"]').press("Enter")
    expect(page.locator(".last-edit")).to_contain_text("temperature 200 °C to 400 °C")


def test_smoke_on_a_bare_plain_is_run_sliced_slowed_detailed_and_handed_over(
    page: Page, client: httpx.Client, scrap: list[int]
):
    number = int(client.post("/shots", data={"starter": "bare plain"}).headers["location"].split("/")[-1])
    scrap.append(number)
    client.post(f"/shots/{number}/guide/prop", data={"revision": 1})
    page.goto(f"/shots/{number}")
    expect(page.locator("#stage-note")).to_contain_text("grid")

    def add(section: str, kind: str, row: str):
        region = page.get_by_role("region", name=section)
        region.locator("summary", has_text="Add").click()
        region.locator(".add-list").get_by_role("button", name=kind, exact=False).first.click()
        expect(page.locator(row)).to_be_visible()

    def change(slot: str, text: str, told: str):
        page.locator(f'[id="{slot}"]').fill(text)
        page.locator(f'[id="{slot}"]').press("Enter")
        expect(page.locator(".last-edit")).to_contain_text(told)

    add("Matter", "smoke A box", "#row-smoke")
    add("Supply", "smoke source", "#row-smoke-source")
    change("s-smoke-cell", "0.2", "cells")
    change("s-finish-last", "10", "to 10")
    run_to(page, 10)
    rows = "window.hotgravel.stage.frame.groups.find((g) => g.kind === 'volume')"
    until(page, f"{rows}?.count > 0")
    expect(page.locator("#balance")).to_contain_text("off by 0.0")
    page.locator("#slice").select_option("temperature")
    expect(page.locator("#slice-legend")).to_contain_text("slice: temperature")
    expect(page.locator("#slice-legend")).to_contain_text("cells of 20 cm")
    page.locator("#slice-axis").select_option("y")
    until(page, "window.hotgravel.stage.slice.made !== null")
    page.locator("#slice").select_option("")
    expect(page.locator("#slice-legend")).to_be_hidden()
    change("s-finish-time_scale", "50 %", "time scale")
    add("Matter", "detail of smoke", "#row-detail-of-smoke")
    run_to(page, 10)
    until(page, "window.hotgravel.stage.layers.get('smoke')?.uniforms.cell.value < 0.15")  # the finer cells are shown
    page.goto(f"/shots/{number}/compare")
    cells = "window.hotgravel?.sides?.map((s) => s.stage.layers.get('smoke')?.uniforms.cell.value.toFixed(1)).join()"
    until(page, f"{cells} === '0.2,0.1'")
    page.goto(f"/shots/{number}")
    page.locator("#handover summary").click()
    page.get_by_role("link", name="Geometry, tables, pictures or film").click()
    page.get_by_label("vdb", exact=False).first.check()
    page.get_by_role("button", name="Hand over").click()
    expect(page.locator(".handed").first).to_contain_text("finished, 10 files")
