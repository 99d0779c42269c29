"""Any composition of container, language, date and amount form, sequence, further columns and totals of one history."""

from __future__ import annotations

import json
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from tests.support.forms import Form, Line, Order, columns_of, delimited, figures, sheets
from tests.support.many_forms import DATES, MONTHS, SHORT_MONTHS, grouped, in_words

HEADS: Mapping[str, Mapping[str, str]] = {
    "English": {"number": "Order No", "customer": "Customer ID", "name": "Customer Name", "date": "Order Date",
                "amount": "Amount", "product": "Product", "quantity": "Qty", "status": "Status", "town": "City"},
    "German": {"number": "Rechnungsnr.", "customer": "Kundennr.", "name": "Kundenname", "date": "Rechnungsdatum",
               "amount": "Betrag", "product": "Artikel", "quantity": "Menge", "status": "Status", "town": "Ort"},
    "French": {"number": "N° facture", "customer": "Code client", "name": "Nom du client", "date": "Date",
               "amount": "Montant", "product": "Article", "quantity": "Quantité", "status": "Statut", "town": "Ville"},
    "Spanish": {"number": "Nº factura", "customer": "Cód. cliente", "name": "Nombre", "date": "Fecha",
                "amount": "Importe", "product": "Producto", "quantity": "Cantidad", "status": "Estado",
                "town": "Ciudad"},
    "Italian": {"number": "Numero fattura", "customer": "Cod. cliente", "name": "Ragione sociale",
                "date": "Data fattura", "amount": "Importo", "product": "Articolo", "quantity": "Q.tà",
                "status": "Stato", "town": "Città"},
    "Dutch": {"number": "Factuurnr", "customer": "Klantnr", "name": "Klantnaam", "date": "Factuurdatum",
              "amount": "Bedrag", "product": "Artikel", "quantity": "Aantal", "status": "Status", "town": "Plaats"},
    "Portuguese": {"number": "Nº pedido", "customer": "Código do cliente", "name": "Nome do cliente",
                   "date": "Data do pedido", "amount": "Valor", "product": "Produto", "quantity": "Qtd",
                   "status": "Situação", "town": "Cidade"},
    "Polish": {"number": "Nr faktury", "customer": "Kod klienta", "name": "Nazwa klienta", "date": "Data wystawienia",
               "amount": "Wartość", "product": "Towar", "quantity": "Ilość", "status": "Status", "town": "Miasto"},
}  # fmt: skip
AMOUNTS: Mapping[str, Callable[[Decimal], str]] = {
    "plain": lambda a: f"{a}",
    "comma": lambda a: grouped(a, "", ","),
    "1.234,50": lambda a: grouped(a, ".", ","),
    "1,234.50": lambda a: grouped(a, ",", "."),
    "1 234,50": lambda a: grouped(a, "\u202f", ","),
    "1'234.50": lambda a: grouped(a, "’", "."),
    "€ before": lambda a: f"€{a:,.2f}",
    "€ after": lambda a: grouped(a, ".", ",") + " €",
    "EUR after": lambda a: grouped(a, " ", ",") + " EUR",
}
FURTHER: Mapping[str, Callable[[Order, int], object]] = {
    "Segment": lambda o, _at: ("school", "studio", "hobby")[int(o.customer.number[1:]) % 3],
    "Remark": lambda _o, at: f"see note {at}" if at % 7 == 0 else "",
    "Warehouse": lambda o, _at: o.shop,
    "Postcode": lambda o, _at: f"{int(o.customer.number[1:]) * 7 % 90_000 + 10_000}",
    "VAT": lambda o, _at: f"{o.amount / 5:.2f}",
    "Delivery date": lambda o, _at: f"{o.date.replace(day=28).isoformat()}",
    "Row": lambda _o, at: at + 1,
    "Phone": lambda o, _at: f"+351 9{int(o.customer.number[1:]):08d}",
    "Discount": lambda _o, at: "5.00" if at % 5 == 0 else "0.00",
    "Paid": lambda _o, at: ("yes", "no")[at % 4 == 0],
}
CONTAINERS = ("csv", "semicolon", "tab", "bar", "xlsx", "json", "jsonl", "parquet", "utf-16", "nested")
_WORDS = {f"{language} in full": months for language, months in MONTHS.items()}
_WORDS |= {f"{language} in short": months for language, months in SHORT_MONTHS.items()}
_TOTALS = ("", "Total", "Summe", "Razem", "Totale generale")


@dataclass(frozen=True)
class Composition:
    """What a file is made of; ``lines``: a row for each line of an order."""

    container: str
    language: str
    date: str
    amount: str
    lines: bool
    named: bool
    shuffled: bool
    further: tuple[str, ...]
    total: str
    title: bool
    seed: int


def drawn(draw: random.Random) -> Composition:
    """Any composition."""
    return Composition(
        draw.choice(CONTAINERS),
        draw.choice(list(HEADS)),
        draw.choice([*DATES, *_WORDS]),
        draw.choice(list(AMOUNTS)),
        draw.random() < 0.5,
        draw.random() < 0.5,
        draw.random() < 0.5,
        tuple(draw.sample(list(FURTHER), draw.randrange(4))),
        draw.choice(_TOTALS),
        draw.random() < 0.3,
        draw.randrange(1_000),
    )


def composed(made: Composition, orders: Sequence[Order]) -> Form:
    """A file of some orders, and the figures that it must come down to."""
    draw = random.Random(made.seed)
    head = HEADS[made.language]
    names = [
        "number",
        "date",
        "customer",
        *(["name"] if made.named else []),
        *(["product"] if made.lines else []),
        "amount",
    ]
    draw.shuffle(names)
    rows: list[list[object]] = []
    for at, order in enumerate(orders):
        for line in order.lines if made.lines else [None]:
            rows.append(
                [*(_cell(name, order, line, made) for name in names), *(FURTHER[f](order, at) for f in made.further)]
            )
    if made.shuffled:
        draw.shuffle(rows)
    header: list[object] = [*(head[name] for name in names), *made.further]
    if made.total:
        blank: list[object] = [""] * len(header)
        blank[0], blank[names.index("amount")] = made.total, AMOUNTS[made.amount](Decimal("12345.60"))
        if names.index("amount"):
            rows.append(blank)
    above: list[list[object]] = [["List of the office"], []] if made.title else []
    name, content = _contained(made.container, above, header, rows)
    return Form(str(made), name, content, figures(list(orders)))


def _cell(name: str, order: Order, line: Line | None, made: Composition) -> object:
    match name:
        case "number":
            return order.number
        case "customer":
            return order.customer.number
        case "name":
            return order.customer.name
        case "product":
            return line.title if line else ""
        case "amount":
            return AMOUNTS[made.amount](line.amount if line else order.amount)
    if made.date in DATES:
        return DATES[made.date](order)
    return in_words(order, _WORDS[made.date])


def _contained(
    container: str, above: list[list[object]], header: list[object], rows: list[list[object]]
) -> tuple[str, bytes]:
    marks = {"csv": ",", "semicolon": ";", "tab": "\t", "bar": "|", "utf-16": "\t"}
    if container in marks:
        encoding = "utf-16" if container == "utf-16" else "utf-8"
        return "a.csv", delimited([*above, header, *rows], marks[container], encoding)
    if container == "xlsx":
        return "a.xlsx", sheets({"Sheet1": [*above, header, *rows]})
    objects = [
        {str(name): cell for name, cell in zip(header, row, strict=True)} for row in rows if row[0] not in _TOTALS
    ]
    if container == "jsonl":
        return "a.jsonl", "\n".join(json.dumps(each, ensure_ascii=False) for each in objects).encode()
    if container == "parquet":
        return "a.parquet", columns_of([header, *([str(cell) for cell in each.values()] for each in objects)])
    if container == "nested":
        return "a.json", json.dumps({"meta": {"pages": 1}, "errors": [], "result": {"rows": objects}}).encode()
    return "a.json", json.dumps(objects).encode()
