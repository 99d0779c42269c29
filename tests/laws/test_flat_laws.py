"""The flat law: a history written as one table, in whatever naming and form, is the book of its three clean files."""

from __future__ import annotations

import csv
import datetime as dt
import random
import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from goldthread.core.book.columns import Attribute
from goldthread.core.book.texts import TextColumn
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.records import OrderStatus
from goldthread.store.books import BookRow
from tests.support.sharing import deliver, new_book, shared_workspace
from tests.support.state import state_of

FIELDS = (
    *("order", "date", "customer", "name", "email", "town", "segment", "status", "channel"),
    *("delivery", "parcels", "gift", "wanted", "product", "category", "quantity", "amount", "series"),
)
NAMINGS = {
    "English": (
        *("Order ID", "Order Date", "Customer ID", "Customer Name", "E-mail", "City", "Segment", "Status", "Channel"),
        *("Ship Mode", "Parcels", "Gift?", "Wanted by", "Product Name", "Category", "Qty", "Line Total", "Series"),
    ),
    "snake case": (
        *("order_no", "placed_on", "cust_ref", "customer_name", "email_address", "town", "segment", "order_status"),
        *("sales_channel", "ship_mode", "parcels", "gift", "wanted_by", "product", "category", "quantity"),
        *("line_amount", "series"),
    ),
    "German": (
        *("Bestellnr.", "Bestelldatum", "Kundennummer", "Kundenname", "E-Mail-Adresse", "Ort", "Segment", "Status"),
        *("Kanal", "Versandart", "Pakete", "Geschenk?", "Wunschtermin", "Artikel", "Kategorie", "Menge", "Betrag"),
        "Serie",
    ),
    "French": (
        *("N° commande", "Date de commande", "N° client", "Nom du client", "Courriel", "Ville", "Segment", "Statut"),
        *("Canal", "Mode de livraison", "Colis", "Cadeau ?", "Souhaité le", "Article", "Catégorie", "Quantité"),
        *("Montant", "Série"),
    ),
}
DATES = ("%Y-%m-%d", "%d/%m/%Y", "%d.%m.%Y", "%m/%d/%Y", "%d %b %Y")
MARKS = (("yes", "no"), ("ja", "nein"), ("1", "0"), ("oui", "non"))


@dataclass(frozen=True)
class Form:
    """How a file is written."""

    separator: str
    date: str
    comma: bool
    marks: tuple[str, str]

    def written(self, value: Any) -> str:
        if isinstance(value, bool):
            return self.marks[not value]
        if isinstance(value, dt.date):
            return f"{value:{self.date}}"
        if isinstance(value, float):
            return f"{value:.2f}".replace(".", ",") if self.comma else f"{value:.2f}"
        return str(value)


CLEAN = Form(",", "%Y-%m-%d", False, ("yes", "no"))


def history(draw: random.Random) -> list[dict[str, Any]]:
    """Order lines of some customers, with everything that is known of order and customer on each."""
    rows: list[dict[str, Any]] = []
    customers: list[dict[str, Any]] = [
        {
            "customer": f"C{at + 100}",
            "name": f"{draw.choice(('Ada', 'Bram', 'Kaia'))} {draw.choice(('Kiln', 'Marl', 'Fennick'))} {at}",
            "email": f"c{at}@kiln.example",
            "town": draw.choice(("Saltby", "Highfold", "Ravenslack")),
            "segment": draw.choice(("studio", "school", "hobby")),
        }
        for at in range(14)
    ]
    for number in range(70):
        customer = customers[number % 14] if number < 28 else draw.choice(customers)
        date = dt.date(2024, 1, 1) + dt.timedelta(draw.randrange(600))
        of_order = {
            "order": f"A-{number + 1}",
            "date": date,
            "status": draw.choice(("paid", "paid", "cancelled", "open")),
            "channel": draw.choice(("search", "letter", "word of mouth")),
            "delivery": draw.choice(("parcel", "collected", "freight")),
            "parcels": draw.randrange(1, 5) + draw.choice((0.5, 0.25, 0.75)),
            "gift": draw.random() < 0.4,
            "wanted": date + dt.timedelta(draw.randrange(3, 60)),
        }
        categories = draw.sample(("clay", "glaze", "tools", "kiln"), draw.randrange(1, 4))
        for place, category in enumerate(categories):
            rows.append(
                {
                    **customer,
                    **of_order,
                    "product": f"{category} {place}",
                    "category": category,
                    "quantity": draw.randrange(1, 9),
                    "amount": draw.randrange(100, 90_000) / 100,
                    "series": draw.choice(("classic", "festive")),
                }
            )
    return rows


def write(path: Path, head: list[str], rows: list[list[str]], separator: str) -> Path:
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file, delimiter=separator).writerows([head, *rows])
    return path


class Flat(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.workspace = shared_workspace()

    def clean_book(self, rows: list[dict[str, Any]]) -> BookRow:
        """Customers, orders and lines, each in a file of its own, named as we name them."""
        parts = {
            "customers": (("customer", "name", "email", "town", "segment"), "customer"),
            "orders": (("order", "customer", "date", "amount", "status", "channel", *FIELDS[9:13]), "order"),
            "lines": (("order", "customer", "date", "product", "category", "quantity", "amount", "series"), ""),
        }
        titles = {"customer": "customer number", "email": "e-mail", "date": "order date"}
        totals: dict[str, float] = {}
        for row in rows:
            totals[row["order"]] = round(totals.get(row["order"], 0) + row["amount"], 2)
        book = new_book(self.workspace)
        for kind, (names, key) in parts.items():
            kept = {row[key]: row for row in reversed(rows)}.values() if key else rows
            cells = [
                [
                    CLEAN.written(totals[row["order"]] if (kind, name) == ("orders", "amount") else row[name])
                    for name in names
                ]
                for row in kept
            ]
            path = write(self.folder / f"{kind}.csv", [titles.get(name, name) for name in names], cells, ",")
            report = deliver(self.workspace, book, path, "shop")
            self.assertEqual((report.rows_rejected, report.problem_count), (0, 0), report.problems)
        return book

    def told(self, book: BookRow, names: dict[str, str]) -> dict[str, Any]:
        """Everything that a book answers with, attributes under the names of the fields."""
        held = self.workspace.orders(book.id).orders
        day = int(held.day.max())
        history = read_history(held, HistoryRule(day, frozenset(OrderStatus), None))
        wanted = ("date", "amount", "rank", "gap", "status", "channel", "category", "name", "email", "town", "number")
        fields = {name: name for name in (*wanted, "first_category", "first_channel", "standing")}
        fields |= {field: names[field] for field in ("segment", *FIELDS[9:13], "series")}
        fields |= {f"first_{field}": f"first_{names[field]}" for field in ("delivery", "wanted", "series")}
        told: dict[str, Any] = {}
        for field, name in fields.items():
            values = history.fields.values(name)
            if isinstance(values, Attribute):
                told[field] = [values.labels[code] for code in values.codes.tolist()]
            elif isinstance(values, TextColumn):
                told[field] = [values.at(row) for row in range(values.count)]
            else:
                told[field] = values.values.tolist()
        return told

    def test_any_history_written_flat_is_the_book_of_its_three_clean_files(self) -> None:
        for seed in range(8):
            draw = random.Random(seed)
            rows = history(draw)
            naming = list(NAMINGS)[seed % len(NAMINGS)]
            form = Form(draw.choice(",;\t"), DATES[seed % len(DATES)], draw.random() < 0.5, draw.choice(MARKS))
            if form.comma and form.separator == ",":
                form = Form(";", form.date, True, form.marks)
            with self.subTest(seed=seed, naming=naming, form=form):
                clean = self.clean_book(rows)
                order = draw.sample(range(len(FIELDS)), len(FIELDS))
                shuffled = draw.sample(rows, len(rows))
                head = [NAMINGS[naming][at] for at in order]
                cells = [[form.written(row[FIELDS[at]]) for at in order] for row in shuffled]
                book = new_book(self.workspace)
                report = deliver(
                    self.workspace, book, write(self.folder / "flat.csv", head, cells, form.separator), "shop"
                )
                self.assertEqual((report.rows_rejected, report.added), (0, 70), report.problems)
                names = dict(zip(FIELDS, NAMINGS[naming], strict=True))
                found = self.told(book, names)
                for field, values in self.told(clean, {field: field for field in FIELDS}).items():
                    self.assertEqual(found[field], values, field)
                alike = state_of(self.workspace, book)["customers"]
                self.assertEqual(len(alike), 14)


if __name__ == "__main__":
    unittest.main()
