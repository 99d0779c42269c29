"""``make screenshots``: the pictures in ``docs/screenshots``, 1280 x 800, of the demo book in a place of its own."""

from __future__ import annotations

import datetime as dt
import os
import time
from pathlib import Path
from urllib.parse import quote

from playwright.sync_api import Page, expect
from tests.support.running import Place, browser, server
from tests.support.sharing import write_csv

from goldthread.actions import books, people, schedules
from goldthread.actions.demo import PEOPLE, add_people
from goldthread.actions.lists import keep_as_list
from goldthread.actions.shared_links import add_link
from goldthread.actions.working import Done, work_member
from goldthread.actor import Actor, acting_as
from goldthread.api.work import fill_demo
from goldthread.core.choices import MemberState, ScheduleKind
from goldthread.settings import Settings
from goldthread.stops.letters import what_of
from goldthread.stops.registry import question_called
from goldthread.store.lists import Made
from goldthread.store.working import entries
from goldthread.workspace import Workspace

FOLDER = Path(__file__).parent / "screenshots"
LONGEST_WAIT_MS = 30_000
SIZE = {"width": 1280, "height": 800}
LIST = "September calls"


def main() -> None:
    """Take every picture anew."""
    expect.set_options(timeout=LONGEST_WAIT_MS)
    place = Place(Settings().upload_limit_mib)
    try:
        workspace = place.workspace()
        fill_demo(workspace, lambda _phase, _done, _total: None)
        _work_a_list(workspace)
        with server(place) as address, browser() as chromium:
            page = chromium.new_page(viewport=SIZE, reduced_motion="reduce")  # type: ignore[arg-type]
            _take(workspace, page, address, place.folder)
            password = add_people(workspace)
            _take_log(page, address, password)
            _take_shared(workspace, page)
        workspace.record.engine.dispose()
    finally:
        place.close()


def _work_a_list(workspace: Workspace) -> None:
    """Calls to the islands in September, the first of them made; a fifth was held back."""
    book = books.find_book(workspace, 1)
    stop, kind = question_called("follow-up")
    question = kind.fields.model_validate({"as_of": "2026-09-01", "where": "region = 'Islands'"})
    answer = stop.answering(kind).asked(workspace, book, question, books.today_of(book))
    ids = answer.read.orders.customer_id.take(answer.found.rows)
    made = Made("Customers who have lapsed, islands", "", "", "", dt.date(2026, 9, 1))
    row = keep_as_list(workspace, book, ids, LIST, made, 0.2)
    held_back = entries(workspace.record.engine, row.id)
    members = [each for each in ids[::-1].tolist() if each not in held_back][:30]
    for place, customer in enumerate(members):
        on = dt.date(2026, 9, 2) + dt.timedelta(place // 2)
        done = Done(MemberState.CONTACTED, on, "phone")
        if place % 7 == 3:
            done = Done(MemberState.LEFT_OUT, note="Moved away")
        elif place % 9 == 5:
            done = Done(call_on=dt.date(2026, 11, 30), note="Kiln being repaired")
        work_member(workspace, book, row.id, customer, done, "Mo")


def _take_list(page: Page, at: str) -> None:
    page.goto(f"{at}/followup?list={quote(LIST)}&view=worked&by=latest_date&direction=down")
    expect(page.get_by_text("done").first).to_be_visible()
    page.get_by_role("row").nth(5).click()
    expect(page.get_by_label("Selected customer")).to_be_visible()
    _shoot(page, "follow-up-worked")


def _take_schedules(workspace: Workspace, page: Page, at: str) -> None:
    """What the demo book does by itself, after the till's file came."""
    book = books.find_book(workspace, 1)
    rows = [row for row in schedules.list_schedules(workspace, book) if row.kind is ScheduleKind.FOLDER]
    settled = time.time() - 3600
    for row in rows:
        schedules.pause(workspace, book, row, paused=False)
        for file in Path(row.about["folder"]).iterdir():
            os.utime(file, (settled, settled))
    what = what_of(workspace, book, "overview")
    schedules.add_letter(workspace, book, "every Monday at 07:00", what, ["ines@marlpit.example"], only_new=True)
    page.goto(f"{at}/schedules")
    till = page.get_by_test_id("schedules").locator(":scope > li").filter(has_text="trade counter")
    till.get_by_role("button", name="run now").click()
    expect(till).to_contain_text("waits: ")
    till.get_by_role("button", name="history").click()
    _shoot(page, "schedules")


def _take(workspace: Workspace, page: Page, address: str, folder: Path) -> None:
    at = f"{address}/books/1"
    views = {
        "cohorts-months": "cohorts",
        "overview": "overview?margin=42",
        "cohorts-behind": "cohorts?open=2024-03~7",
        "newness": "newness",
        "worth-forecast": "worth?view=forecast",
        "rhythm-next-order": "rhythm?view=next-order&split=segment",
        "worth-payback": "worth?view=payback&margin=42&split=first_channel",
        "threads-loom": "threads?view=loom&by=segment&tone=segment",
        "import": "import",
        "brief": "briefs?brief=1",
        "follow-up": "followup?who=lapsed&who=never_ordered&by=revenue",
    }
    for name, path in views.items():
        page.goto(f"{at}/{path}")
        if name == "import":
            expect(page.get_by_title("events.csv")).to_be_visible()
            expect(page.get_by_text("Orders per month, each source")).to_be_visible()
        if name == "brief":
            for picture in page.get_by_test_id("finding").get_by_role("img").all():
                picture.evaluate("img => img.decode()")
        if "open=" in path:
            expect(page.get_by_role("button", name="Download these orders")).to_be_enabled()
        _shoot(page, name)
    _take_list(page, at)
    _take_threads(page, at)
    _take_schedules(workspace, page, at)
    page.goto(f"{at}/checks")
    page.get_by_role("button", name="Run the checks").click()
    expect(page.get_by_test_id("verdict")).to_be_visible()
    _shoot(page, "checks")
    page.goto(f"{at}/import")
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
    _shoot(page, "import-file")


def _take_log(page: Page, address: str, password: str) -> None:
    """What was done, read by the owner of a book with accounts."""
    page.goto(f"{address}/books/1/log")
    page.get_by_label("Name").fill(next(iter(PEOPLE)))
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("list", name="Who did what").get_by_role("listitem").nth(8)).to_be_visible()
    _shoot(page, "log")


def _take_shared(workspace: Workspace, page: Page) -> None:
    """A view as somebody outside sees it by a link of an owner."""
    book = books.find_book(workspace, 1)
    until = books.today_of(book) + dt.timedelta(30)
    owner = people.find_user(workspace, next(iter(PEOPLE)))
    view = ("Cohorts by first source", "cohorts", "split=first_source&period=quarter")
    with acting_as(Actor(owner.name, owner.id)):
        page.goto(add_link(workspace, book, *view, until, opens_figures=True))
    _shoot(page, "shared")


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
