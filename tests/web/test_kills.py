"""A kill of the worker or of the server loses at most the frame in work; `benchmarks/kills.py` does it a hundred times,
and `tests/farm/test_killed.py` kills single processes."""

from tests.web.kills import attack


def test_a_killed_worker_and_a_killed_server_end_in_the_same_bytes(tmp_path, browser):
    def go_on_from_the_page(server, message, shot):
        page = browser.new_page()
        page.goto(f"{server.url}/shots/{shot}")
        page.get_by_text(message).wait_for()
        page.get_by_role("button", name="Go on").click()
        page.get_by_role("button", name="Cancel").wait_for()
        page.close()

    assert attack(tmp_path, runs=1, seed=11, go_on=go_on_from_the_page) == 2
