"""Exports of strangers: eight tables as shops, tills, offices and clubs give them, looked at without a hint."""

from __future__ import annotations

import csv
import datetime as dt
import random
import tempfile
import unittest
from pathlib import Path

from goldthread.actions.deciding import reading_of
from goldthread.actions.inspecting import FileView, Given, look_at_table
from goldthread.core.records import FileKind, KeyKind
from goldthread.errors import InvalidInput
from goldthread.intake.meanings import KeptAt, Meaning
from goldthread.intake.packing import Table

_DRAW = random.Random(5)
PEOPLE = [
    (
        f"{17_000 + at}",
        f"{('Ada', 'Bram', 'Kaia')[at % 3]} {('Kiln', 'Marl')[at % 2]} {chr(65 + at)}",
        f"c{at}@x.example",
    )
    for at in range(24)
]
TOWNS = ("Saltby", "Highfold", "Eider")


def _date() -> dt.date:
    return dt.date(2024, 1, 1) + dt.timedelta(_DRAW.randrange(500))


class Strangers(unittest.TestCase):
    def look(self, head: str, rows: list[list[str]], mark: str = ",") -> FileView:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "file.csv"
            with path.open("w", encoding="utf-8", newline="") as file:
                csv.writer(file, delimiter=mark).writerows([head.split("|"), *rows])
            return look_at_table(Table("", path, typed=False))

    def columns(self, view: FileView) -> dict[str, str]:
        return {meaning.value: column for meaning, column in view.guess.columns.items()}

    def kept(self, view: FileView) -> dict[str, str]:
        return {each.name: each.proposed.at.value for each in view.evidence.further}

    def test_invoices_by_line_some_without_a_customer(self) -> None:
        rows = []
        for number in range(90):
            place, date = number % 24, _date()
            who = PEOPLE[place][0] if number % 8 else ""
            for line in range(number % 3 + 1):
                when = f"{date.month}/{date.day}/{date.year} 9:30"
                rows.append(
                    [
                        f"{536_000 + number}",
                        f"ITEM {line}",
                        f"{line + 1}",
                        when,
                        f"{line + 1}.95",
                        who,
                        TOWNS[place % 3],
                    ]
                )
        view = self.look("InvoiceNo|Description|Quantity|InvoiceDate|UnitPrice|CustomerID|Country", rows)
        self.assertEqual(view.guess.kind, FileKind.LINES)
        self.assertEqual(
            self.columns(view),
            {
                "order_number": "InvoiceNo",
                "customer": "CustomerID",
                "date": "InvoiceDate",
                "product": "Description",
                "quantity": "Quantity",
                "unit_price": "UnitPrice",
            },
        )
        self.assertEqual(self.kept(view), {"Country": "customer"})

    def test_lines_whose_order_stands_on_its_first_one_and_whose_number_has_no_name(self) -> None:
        rows = []
        for number in range(60):
            _, name, email = PEOPLE[number % 24]
            for line in range(number % 3 + 1):
                of_order = [f"{_date()} 10:00:00 +0100", "paid", f"{number + 50}.00", name] if line == 0 else [""] * 4
                code = "SPRING" if number % 5 == 0 and line == 0 else ""
                rows.append(
                    [f"#{1_000 + number}", email, *of_order, str(line + 1), f"Bowl {line}", f"{line + 3}.00", code]
                )
        head = (
            "Name|Email|Created at|Financial Status|Total|Billing Name|Lineitem quantity|Lineitem name|Lineitem price"
        )
        view = self.look(f"{head}|Discount Code", rows)
        self.assertEqual((view.guess.kind, view.guess.customer_key), (FileKind.LINES, KeyKind.EMAIL))
        self.assertEqual(view.merged, ("Created at", "Financial Status", "Total", "Billing Name"))
        self.assertEqual(view.guess.by_content, (Meaning.ORDER_NUMBER,))
        columns = self.columns(view)
        self.assertEqual((columns["order_number"], columns["name"]), ("Name", "Billing Name"))
        self.assertEqual((columns["quantity"], columns["unit_price"]), ("Lineitem quantity", "Lineitem price"))
        self.assertNotIn("amount", columns, "the order's total would be summed up over its lines")
        reading = reading_of(view, Given(fill_down=True))
        self.assertEqual(
            (reading.further["Total"].at, reading.further["Discount Code"].at), (KeptAt.ORDER, KeptAt.ORDER)
        )

    def test_a_till_with_cards_of_customers(self) -> None:
        rows = []
        for number in range(80):
            card = PEOPLE[number % 24][0] if number % 3 else ""
            date, pay = f"{_date():%d.%m.%Y}", ("bar", "Karte")[number % 5 < 2]
            for line in range(number % 3 + 1):
                rows.append(
                    [date, "9:15", str(number), "Mo", card, f"Ton {line}", "2", f"{line},50", f"{2 * line + 1},00", pay]
                )
        head = "Datum|Uhrzeit|Bon|Bediener|Kundenkarte|Artikel|Menge|Preis|Gesamt|Zahlart"
        view = self.look(head, rows, ";")
        columns = self.columns(view)
        self.assertEqual(
            (view.guess.kind, columns["customer"], columns["amount"]), (FileKind.LINES, "Kundenkarte", "Gesamt")
        )
        self.assertEqual((columns["rep"], self.kept(view)["Zahlart"]), ("Bediener", "order"))

    def test_a_ledger_of_an_office(self) -> None:
        rows = []
        for number in range(60):
            key, name, _ = PEOPLE[number * 5 % 24]
            net = 2_000 + number * 311
            money = [
                f"{cents // 100:,}".replace(",", ".") + f",{cents % 100:02d}"
                for cents in (net, net // 5, net + net // 5)
            ]
            rows.append(
                [f"{_date():%d.%m.%Y}", f"RE{number:05d}", key, name, TOWNS[number * 5 % 24 % 3], *money, "Carys"]
            )
        head = "Buchungsdatum|Belegnr|Debitorennr|Debitorenname|Ort|Netto|MwSt|Brutto|Vertreter"
        view = self.look(head, rows, ";")
        columns = self.columns(view)
        wanted = {"order_number": "Belegnr", "customer": "Debitorennr", "amount": "Brutto", "rep": "Vertreter"}
        self.assertEqual(columns, columns | wanted | {"name": "Debitorenname", "town": "Ort"})
        self.assertEqual(view.guess.kind, FileKind.ORDERS)

    def test_gifts_without_any_number(self) -> None:
        rows = [
            [f"{_date():%m/%d/%Y}", PEOPLE[at * 7 % 24][1], f"${at % 9 + 5}.00", ("Roof", "General")[at % 2]]
            for at in range(70)
        ]
        view = self.look("Gift Date|Donor|Gift Amount|Fund", rows)
        self.assertEqual((view.guess.kind, view.guess.by_content), (FileKind.LINES, (Meaning.CUSTOMER,)))
        self.assertIn("no column an order number", view.guess.why)

    def test_orders_without_an_amount_are_asked_about(self) -> None:
        rows = [[f"{at:032x}", f"{at * 7 % 24:032x}", "shipped", f"{_date()} 10:11:12"] for at in range(40)]
        view = self.look("order_id|customer_id|order_status|order_purchase_timestamp", rows)
        self.assertEqual(view.guess.missing, [Meaning.AMOUNT])
        with self.assertRaisesRegex(InvalidInput, "No column is chosen for: amount"):
            reading_of(view)

    def test_a_report_with_a_total_below_each_customer(self) -> None:
        rows: list[list[str]] = []
        for place in range(6):
            name = PEOPLE[place][1]
            rows += [
                [name if at == 0 else "", f"{_date():%d-%b-%Y}", f"SO-{place}{at}", f"{at + 1},204.50"]
                for at in range(4)
            ]
            rows.append([f"Total {name}", "", "", "9,999.00"])
        view = self.look("Customer|Date|Sales Order|Amount", rows)
        self.assertEqual((view.guess.kind, view.merged), (FileKind.ORDERS, ("Customer",)))
        self.assertEqual(reading_of(view, Given(fill_down=True)).fill_down, ("Customer",))

    def test_a_market_place_with_a_buyer_by_mail(self) -> None:
        rows: list[list[str]] = []
        for number in range(60):
            _, name, email = PEOPLE[number % 24]
            for line in range(number % 2 + 1):
                dates = [f"{_date()}T09:00:00+00:00"] if line == 0 else [rows[-1][1]]
                rows.append(
                    [
                        f"{100 + number}-7",
                        *dates,
                        email,
                        name,
                        f"SKU-{line}",
                        f"{line + 1}",
                        "EUR",
                        f"{line + 5}.99",
                        "4.90",
                    ]
                )
        head = "order-id|purchase-date|buyer-email|buyer-name|sku|quantity-purchased|currency|item-price|shipping-price"
        view = self.look(head, rows, "\t")
        columns = self.columns(view)
        self.assertEqual((view.guess.kind, view.guess.customer_key), (FileKind.LINES, KeyKind.EMAIL))
        self.assertEqual(
            (columns["order_number"], columns["customer"], columns["name"]), ("order-id", "buyer-email", "buyer-name")
        )


if __name__ == "__main__":
    unittest.main()
