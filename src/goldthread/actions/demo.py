"""Fill a book with the invented supplier's files, imported like any others."""

from __future__ import annotations

import tempfile
from pathlib import Path

from goldthread.actions import books
from goldthread.actions.deciding import reading_of
from goldthread.actions.deliveries import Errand, deliver_file
from goldthread.actions.inspecting import known_readings, look_at_table
from goldthread.actions.uploads import open_file
from goldthread.core.records import Progress, unreported
from goldthread.demo.exports import FILES, write_exports
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace

NAME, CURRENCY, TIME_ZONE = "Marlpit & Slip", "EUR", "Europe/Lisbon"


def import_demo(workspace: Workspace, progress: Progress) -> DeliveryReport:
    """Bring in every file of the demo supplier. The report has no delivery id when all were there already."""
    known = {book.name: book for book in books.list_books(workspace)}
    book = known.get(NAME) or books.add_book(workspace, NAME, CURRENCY, TIME_ZONE)
    total = DeliveryReport()
    if set(FILES) <= {delivery.file_name for delivery in books.list_deliveries(workspace, book)}:
        return total
    with tempfile.TemporaryDirectory(prefix="goldthread-demo-") as folder:
        exports = write_exports(Path(folder))
        for place, export in enumerate(exports):
            (Path(folder) / str(place)).mkdir()
            for file in open_file(workspace.settings, export.path, Path(folder) / str(place)):
                view = look_at_table(file.table(), known=known_readings(workspace, book), source=export.source)
                errand = Errand(export.source, file.name, view.file, reading_of(view), accept_rejected=True)
                report = deliver_file(workspace, book, errand, unreported)
                total.delivery_id = report.delivery_id or total.delivery_id
                for name, count in report.counts().items():
                    setattr(total, name, getattr(total, name) + count)
            progress(export.path.name, place + 1, len(exports))
    return total
