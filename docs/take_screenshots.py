"""``make screenshots``: the pictures in ``docs/screenshots``, 1280 x 800, of the demo book in a place of its own."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect
from tests.support.running import Place, browser, server
from tests.support.sharing import write_csv

from goldthread.actions.demo import import_demo
from goldthread.settings import Settings

FOLDER = Path(__file__).parent / "screenshots"
LONGEST_WAIT_MS = 30_000
SIZE = {"width": 1280, "height": 800}


def main() -> None:
    """Take every picture anew."""
    expect.set_options(timeout=LONGEST_WAIT_MS)
    place = Place(Settings.upload_limit_mib)
    try:
        workspace = place.workspace()
        import_demo(workspace, lambda _phase, _done, _total: None)
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
        "cohorts-split": "cohorts?split=first_source",
        "newness": "newness",
        "rhythm-counts": "rhythm?from=2025-11-01&open=1",
        "rhythm-gaps": "rhythm?view=gaps",
        "rhythm-next-order": "rhythm?view=next-order&split=segment",
        "rhythm-due": "rhythm?view=due",
        "threads-loom": "threads?view=loom&by=segment&tone=segment",
        "intake": "intake",
        "cohorts-evening": "cohorts?period=quarter&figure=revenue&open=all~2",
    }
    for name, path in views.items():
        page.goto(f"{at}/{path}")
        if name == "cohorts-evening":
            page.get_by_role("button", name="Evening").click()
        if name == "intake":
            expect(page.get_by_title("events.csv")).to_be_visible()
            expect(page.get_by_text("Orders per month, each source")).to_be_visible()
        _shoot(page, name)
    page.get_by_role("button", name="Linen").click()
    _take_threads(page, at)
    page.goto(f"{at}/checks")
    page.get_by_role("button", name="Run the checks").click()
    expect(page.get_by_test_id("verdict")).to_be_visible()
    _shoot(page, "checks")
    _take_flat_file(page, at, folder)
    page.goto(f"{at}/intake")
    rows = [
        ("beleg", "kd_nr", "datum", "summe", "wer", "stand"),
        ("K19001", "C1042", "03/11/2026", "1.284,50", "Mo", "bezahlt"),
        ("K19002", "C1377", "03/11/2026", "64,20", "Sefa", "bezahlt"),
        ("K19003", "", "04/11/2026", "18,00", "Mo", "bezahlt"),
        ("K19004", "C2042", "14/11/2026", "212,75", "Mo", "storniert"),
        ("K19005", "C1215", "31/11/2026", "33,10", "Sefa", "bezahlt"),
        ("K14000", "C1983", "16/10/2026", "99,00", "Sefa", "bezahlt"),
        ("K19007", "C1982", "15/11/2026", "-20,00", "Sefa", "Gutschrift"),
        ("K19008", "C3401", "16/11/2026", "75,00", "Mo", "bezahlt"),
    ]
    page.set_input_files("input[type=file]", write_csv(folder / "counter_nov.csv", rows))
    page.get_by_role("button", name="What “Gutschrift” means").click()
    page.get_by_role("menuitemradio", name="refunded").click()
    expect(page.get_by_test_id("comes")).to_be_visible()
    _shoot(page, "intake-file")
    page.get_by_role("button", name="Import it").click()
    expect(page.get_by_test_id("report")).to_be_visible()
    expect(page.get_by_title("counter_nov.csv")).to_be_visible()
    expect(page.get_by_test_id("holds")).to_contain_text("16 Nov 2026")
    _shoot(page, "intake-report")
    page.get_by_role("button", name="by hand").click()
    page.get_by_label("source").fill("trade counter")
    page.get_by_label("order number").fill("K14000")
    page.get_by_label("amount").focus()
    expect(page.get_by_text("On record from counter_nov.csv.")).to_be_visible()
    _shoot(page, "intake-hand")


def _take_flat_file(page: Page, at: str, folder: Path) -> None:
    """An export with everything in one table, before it is imported."""
    head = ["Ticket", "Sold on", "Customer No", "Segment", "Payment", "Stall", "Remark", "Item", "Total"]
    who = [("C1042", "hobby"), ("C1377", "studio"), ("C1215", "hobby"), ("C1066", "school")]
    items = ("Stoneware 25 kg", "Celadon 1 l", "Loop tool", "Cone pack", "Bat set")
    rows = [
        (
            *(f"M-{at // 2 + 1}", f"{at // 2 % 27 + 1:02d}/11/2026", *who[at // 2 % 4]),
            *(("card", "cash")[at // 2 % 3 == 1], ("north", "yard")[at % 2], f"note {at + 1}"),
            *(items[at % 5], f"{at * 7 % 50 + 5}.50"),
        )
        for at in range(48)
    ]
    page.goto(f"{at}/intake")
    page.set_input_files("input[type=file]", write_csv(folder / "market_nov.csv", [head, *rows]))
    page.get_by_role("button", name="Source: which source?").click()
    page.get_by_placeholder("such as web shop").fill("market")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("comes")).to_be_visible()
    _shoot(page, "intake-flat")
    page.get_by_role("button", name="Discard file").click()
    expect(page.get_by_text("Drop files here, or choose them")).to_be_visible()


def _take_threads(page: Page, at: str) -> None:
    page.goto(f"{at}/threads?by=revenue&direction=down&show=first_date&show=latest_date&show=orders&show=usual_gap")
    expect(page.get_by_role("row").nth(3)).to_be_visible()
    _shoot(page, "threads-customers")
    page.get_by_role("row").nth(3).click()
    expect(page.get_by_role("application")).to_be_visible()
    _shoot(page, "threads-customer")


def _shoot(page: Page, name: str) -> None:
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    expect(page.locator("h1 [role=status]")).to_have_count(0)
    expect(page.locator(".dimmed")).to_have_count(0)
    expect(page.get_by_text("The database is counting it again")).to_have_count(0)
    page.evaluate("document.fonts.ready")
    page.mouse.move(0, 0)
    page.screenshot(path=FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
