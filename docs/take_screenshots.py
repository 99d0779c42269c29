"""``make screenshots``: the pictures in ``docs/screenshots``, 1280 x 800, of the demo book in a place of its own."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect
from tests.support.running import Place, browser, server
from tests.support.sharing import write_csv

from goldthread.actions.demo import bring_in_demo
from goldthread.settings import Settings

FOLDER = Path(__file__).parent / "screenshots"
SIZE = {"width": 1280, "height": 800}


def main() -> None:
    """Take every picture anew."""
    place = Place(Settings.upload_limit_mib)
    try:
        workspace = place.workspace()
        bring_in_demo(workspace, lambda _phase, _done, _total: None)
        workspace.record.engine.dispose()
        with server(place) as address, browser() as chromium:
            page = chromium.new_page(viewport=SIZE, reduced_motion="reduce")  # type: ignore[arg-type]
            _take(page, address, place.folder)
    finally:
        place.close()


def _take(page: Page, address: str, folder: Path) -> None:
    at = f"{address}/books/1"
    views = {
        "cohorts-months": "cohorts",
        "cohorts-quarters": "cohorts?period=quarter",
        "cohorts-behind": "cohorts?open=2024-03~7",
        "cohorts-evening": "cohorts?period=quarter&figure=revenue&open=all~2",
        "intake": "intake",
    }
    for name, path in views.items():
        page.goto(f"{at}/{path}")
        if name == "cohorts-evening":
            page.get_by_role("button", name="Evening").click()
        _shoot(page, name)
    page.get_by_role("button", name="Linen").click()
    header = ("receipt", "cust no", "sold on", "total", "state", "till")
    rows = [
        ("K19001", "C1002", "2026-10-30", "12.50", "paid", "2"),
        ("K19002", "C1377", "2026-10-30", "64.20", "paid", "1"),
        ("K19003", "", "2026-10-31", "18.00", "paid", "1"),
        ("K19004", "C1042", "2026-10-32", "212.75", "cancelled", "2"),
        ("K19005", "C2215", "2026-10-31", "ten", "paid", "2"),
        ("K19006", "C1981", "2026-10-31", "75.00", "paid", "1"),
    ]
    page.set_input_files("input[type=file]", write_csv(folder / "counter_last_days.csv", [header, *rows]))
    page.get_by_role("button", name="Source:").click()
    page.get_by_role("menuitemradio", name="trade counter").click()
    _shoot(page, "intake-file")
    page.get_by_role("button", name="Bring it in").click()
    expect(page.get_by_test_id("report")).to_be_visible()
    expect(page.get_by_title("counter_last_days.csv")).to_be_visible()
    _shoot(page, "intake-report")


def _shoot(page: Page, name: str) -> None:
    page.wait_for_load_state("networkidle")
    page.mouse.move(0, 0)
    page.screenshot(path=FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
