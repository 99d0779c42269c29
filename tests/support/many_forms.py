"""A hundred forms of one history: what each is called, its bytes, and what must become of it."""

from __future__ import annotations

import csv
import datetime as dt
import json
import random
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from functools import partial

from tests.support.forms import (
    ASKED,
    HEAD,
    LINE_HEAD,
    REFUSED,
    RIGHT,
    Cells,
    Figures,
    Form,
    Order,
    Rows,
    by_line,
    columns_of,
    delimited,
    figures,
    plain,
    sheets,
)

_ROMANCE = [
    "enero",
    "febrero",
    "marzo",
    "abril",
    "mayo",
    "junio",
    "julio",
    "agosto",
    "septiembre",
    "octubre",
    "noviembre",
    "diciembre",
]
MONTHS = {
    "German": "Januar Februar März April Mai Juni Juli August September Oktober November Dezember",
    "French": "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "Italian": "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
    "Dutch": "januari februari maart april mei juni juli augustus september oktober november december",
    "Portuguese": "janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro",
    "Polish": "stycznia lutego marca kwietnia maja czerwca lipca sierpnia września października listopada grudnia",
    "Spanish": " ".join(_ROMANCE),
}
SHORT_MONTHS = {
    "English": "Jan Feb Mar Apr May Jun Jul Aug Sept Oct Nov Dec",
    "German": "Jan. Feb. Mrz. Apr. Mai Jun. Jul. Aug. Sep. Okt. Nov. Dez.",
    "French": "janv. févr. mars avr. mai juin juil. août sept. oct. nov. déc.",
    "Italian": "gen feb mar apr mag giu lug ago set ott nov dic",
    "Dutch": "jan. feb. mrt. apr. mei jun. jul. aug. sep. okt. nov. dec.",
    "Portuguese": "jan. fev. mar. abr. mai. jun. jul. ago. set. out. nov. dez.",
    "Polish": "sty lut mar kwi maj cze lip sie wrz paź lis gru",
    "Spanish": "ene feb mar abr may jun jul ago sep oct nov dic",
}
_WEEKDAYS = {
    "German": "Mo. Di. Mi. Do. Fr. Sa. So.",
    "French": "lundi mardi mercredi jeudi vendredi samedi dimanche",
    "English": "Mon Tue Wed Thu Fri Sat Sun",
    "Polish": "poniedziałek wtorek środa czwartek piątek sobota niedziela",
    "Italian": "lun mar mer gio ven sab dom",
}
_HEADS = {
    "German": ("Bestellnr.", "Kundennr.", "Bestelldatum", "Gesamtbetrag"),
    "French": ("N° commande", "N° client", "Date de commande", "Montant TTC"),
    "Spanish": ("Nº pedido", "Nº cliente", "Fecha del pedido", "Importe total"),
    "Italian": ("Numero ordine", "Codice cliente", "Data ordine", "Importo totale"),
    "Dutch": ("Ordernummer", "Klantnummer", "Orderdatum", "Totaalbedrag"),
    "Portuguese": ("Nº da encomenda", "Nº do cliente", "Data da encomenda", "Valor total"),
    "Polish": ("Numer zamówienia", "Numer klienta", "Data zamówienia", "Kwota brutto"),
}
_LINE_HEADS = {
    "German": ("Auftragsnummer", "Kunde", "Datum", "Artikel", "Menge", "Betrag"),
    "Italian": ("Ordine", "Cliente", "Data", "Articolo", "Quantità", "Importo"),
    "Dutch": ("Bestelling", "Klant", "Datum", "Artikel", "Aantal", "Bedrag"),
    "Polish": ("Zamówienie", "Klient", "Data", "Towar", "Ilość", "Wartość"),
}
DATES: Mapping[str, Callable[[Order], str]] = {
    "20170130": lambda o: f"{o.date:%Y%m%d}",
    "20170130140500": lambda o: f"{o.at:%Y%m%d%H%M%S}",
    "2017-1-30": lambda o: f"{o.date.year}-{o.date.month}-{o.date.day}",
    "2017/1/30 9:05": lambda o: f"{o.date.year}/{o.date.month}/{o.date.day} {o.at.hour}:{o.at:%M}",
    "2017.01.30.": lambda o: f"{o.date:%Y.%m.%d.}",
    "30.1.2017": lambda o: f"{o.date.day}.{o.date.month}.{o.date.year}",
    "with UTC": lambda o: f"{o.at:%Y-%m-%d %H:%M:%S} UTC",
    "with Uhr": lambda o: f"{o.at:%d.%m.%Y %H:%M} Uhr",
    "day first, with seconds": lambda o: f"{o.at:%d/%m/%Y %H:%M:%S}",
    "month first, 12 hours": lambda o: f"{o.at:%m/%d/%Y %I:%M %p}",
    "with T and Z": lambda o: f"{o.at:%Y-%m-%dT%H:%M:%S}Z",
    "with milliseconds": lambda o: f"{o.at:%Y-%m-%d %H:%M:%S}.000",
    "with an offset apart": lambda o: f"{o.at:%Y-%m-%d %H:%M:%S} +0000",
    "30-Jan-2017": lambda o: f"{o.date:%d}-{SHORT_MONTHS['English'].split()[o.date.month - 1]}-{o.date.year}",
    "January 30, 2017": lambda o: f"{o.date:%B} {o.date.day}, {o.date.year}",
    "January 30, 2017, 2:05 pm": lambda o: (
        f"{o.at:%B} {o.date.day}, {o.date.year}, {o.at:%I:%M} pm".replace(" 0", " ")
        if o.at.hour >= 12
        else f"{o.at:%B} {o.date.day}, {o.date.year}, {o.at:%I:%M} am"
    ),
    "serial": lambda o: str((o.date - dt.date(1899, 12, 30)).days),
    "seconds since 1970": lambda o: str(int(o.at.replace(tzinfo=dt.UTC).timestamp())),
    "milliseconds since 1970": lambda o: str(int(o.at.replace(tzinfo=dt.UTC).timestamp()) * 1000),
}


def written(orders: Sequence[Order], date: Callable[[Order], str], head: Sequence[str] = HEAD) -> list[list[object]]:
    """Orders whose dates are written in some way."""
    body: Rows = [[o.number, o.customer.number, date(o), f"{o.amount}"] for o in orders]
    return [list(head), *body]


def in_words(order: Order, months: str, mark: str = " ") -> str:
    """A date with the name of its month."""
    return f"{order.date.day}{mark}{months.split()[order.date.month - 1]} {order.date.year}"


def _on_a_weekday(order: Order, days: str) -> str:
    return f"{days.split()[order.date.weekday()]}, {order.date:%d.%m.%Y}"


def priced(orders: Sequence[Order], amount: Callable[[Decimal], str]) -> list[list[object]]:
    """Orders whose amounts are written in some way."""
    body: Rows = [[o.number, o.customer.number, o.date.isoformat(), amount(o.amount)] for o in orders]
    return [list(HEAD), *body]


def grouped(amount: Decimal, mark: str, decimal: str) -> str:
    return f"{amount:,.2f}".replace(",", "\0").replace(".", decimal).replace("\0", mark)


def forms(orders: list[Order]) -> Iterator[Form]:
    """Every form of some orders."""
    all_ = figures(orders)
    shuffled = random.Random(3).sample(orders, len(orders))

    def form(
        title: str,
        content: Cells | bytes,
        wanted: str = RIGHT,
        name: str = "",
        said: dict[str, str] | None = None,
        asks: str = "",
        of: Figures = all_,
    ) -> Form:
        content = content if isinstance(content, bytes) else delimited(content)
        return Form(title, name or "orders.csv", content, of, wanted, said or {}, asks)

    yield from _dates(orders, form)
    yield from _amounts(orders, form)
    yield from _languages(orders, form)
    yield from _rows(orders, shuffled, form)
    yield from _numbers(orders, form)
    yield from _layouts(orders, form)
    yield from _containers(orders, form)
    yield from _oddities(orders, form)


def large_forms(orders: list[Order]) -> Iterator[Form]:
    """What a large file shows late: a form that the first thousands of rows do not have."""
    all_ = figures(orders)
    lines = by_line(orders)
    bare: Rows = [[row[0], row[1], row[2], row[5]] for row in lines]
    mixed = [bare[0], *random.Random(8).sample(bare[1:], len(bare) - 1)]
    yield Form("lines in no sequence", "a.csv", delimited(mixed), all_)
    late = [o for o in orders if o.date.day <= 12]
    open_first = [*late, *[o for o in orders if o.date.day > 12]]
    dates = written(open_first, lambda o: f"{o.date:%d/%m/%Y}")
    yield Form("the first day beyond twelve comes late", "a.csv", delimited(dates), all_)
    names: Rows = [
        [*row[:1], "Pärn" if at > len(orders) // 2 else "Marl", *row[1:]] for at, row in enumerate(plain(orders)[1:])
    ]
    text = delimited([[HEAD[0], "remark", *HEAD[1:]], *names], ";", "cp1252")
    yield Form("letters beyond ASCII come late", "a.csv", text, all_)


def _printed(rows: Rows) -> str:
    """A table as a terminal shows it."""
    widths = [max(len(str(row[at])) for row in rows) for at in range(len(rows[0]))]
    lines = [" | ".join(str(cell).ljust(width) for cell, width in zip(row, widths, strict=True)) for row in rows]
    rule = "-+-".join("-" * width for width in widths)
    return "\n".join([f" {lines[0]}", f"-{rule}-", *(f" {line}" for line in lines[1:]), f"({len(rows) - 1} rows)", ""])


def _oddities(orders: list[Order], form: Make) -> Iterator[Form]:
    rows = plain(orders)
    yield form("a table as a terminal shows it", _printed(rows).encode())
    bars = [f"| {' | '.join(map(str, row))} |" for row in rows]
    yield form("a table of a note", "\n".join([bars[0], "|---|---|---|---|", *bars[1:]]).encode())
    yield form("a hint of the separator", b"sep=;\n" + delimited(rows, ";"))
    yield form("remarks above", b"# made by the office\n# on 1 May\n" + delimited(rows))
    yield form("csv inside a workbook", sheets({"A": [[",".join(map(str, row))] for row in rows]}), name="a.xlsx")
    yield form("no header", rows[1:], REFUSED)
    yield form("an index before the rows", [["", *rows[0]], *([at, *row] for at, row in enumerate(rows[1:]))])
    yield form("blank lines between", [each for row in rows for each in (row, [])])
    ragged: Rows = [[*rows[0], "note"], *([*row, "gift"] if at % 3 == 0 else row for at, row in enumerate(rows[1:]))]
    yield form("rows that end with their last filled cell", ragged)
    levels: Rows = [["Order", "", "Customer", ""], ["No", "Date", "No", "Total"]]
    levels += [[o.number, f"{o.date}", o.customer.number, f"{o.amount}"] for o in orders]
    yield form("names in two rows", levels)
    yield form("time in dots", written(orders, lambda o: f"{o.at:%d.%m.%Y %H.%M}"))
    yield form("dates in two forms", written(orders, lambda o: f"{o.date:%d.%m.%Y}" if o.date.day % 2 else f"{o.date}"))
    guests = [[row[0], "" if at % 9 == 0 else row[1], *row[2:]] for at, row in enumerate(rows[1:])]
    yield form("guests without a number", [rows[0], *guests], ASKED, asks="There is no customer.")
    back = {o.number for at, o in enumerate(orders) if at % 9 == 4}
    signed = figures(orders, lambda o: -1 if o.number in back else 1)
    said = {"returns": "take_off"}
    flags = [[o.number, o.customer.number, f"{o.date}", f"{o.amount}", str(o.number in back).lower()] for o in orders]
    yield form("a mark for returns", [[*HEAD, "is_return"], *flags], ASKED, said=said, asks="“true”", of=signed)
    lines: Rows = [["order", "customer", "date", "item", "qty", "amount"]]
    lines += [[o.number, o.customer.number, f"{o.date}", line.title,
               -line.quantity if o.number in back else line.quantity, f"{line.amount}"]
              for o in orders for line in o.lines]  # fmt: skip
    yield form("quantities below 0", lines, ASKED, said=said, asks="“qty” is below 0", of=signed)
    months = sorted({f"{o.date:%b-%y}" for o in orders})
    yield form(
        "months of short years side by side", [["customer", *months], ["K1", *("5.00" for _ in months)]], REFUSED
    )
    pairs = ["customer", *(f"Order {at} {each}" for at in range(1, 4) for each in ("date", "amount"))]
    yield form("dates and amounts side by side", [pairs, ["K1", *["2024-05-01", "5.00"] * 3]], REFUSED)
    edges = [{"node": {"id": o.number, "createdAt": f"{o.at:%Y-%m-%dT%H:%M:%SZ}", "total": {"amount": f"{o.amount}"},
                       "customer": {"id": o.customer.number}}} for o in orders]  # fmt: skip
    yield form("json of edges", json.dumps({"data": {"orders": {"edges": edges}}}).encode(), name="a.json")
    people: dict[str, list[Order]] = {}
    for o in orders:
        people.setdefault(o.customer.number, []).append(o)
    nested = [{"customer_id": key, "orders": [{"order_id": o.number, "date": f"{o.date}", "items": [
        {"title": line.title, "amount": f"{line.amount}"} for line in o.lines]} for o in own]}
        for key, own in people.items()]  # fmt: skip
    yield form("json of customers with orders with lines", json.dumps(nested).encode(), name="a.json")
    totals = [{"id": o.number, "buyer": {"id": o.customer.number}, "createdAt": f"{o.at:%Y-%m-%dT%H:%M:%S}",
               "total": {"value": f"{o.amount}", "currency": "EUR"}, "lines": [
        {"name": line.title, "qty": line.quantity, "price": {"value": f"{line.price}"}} for line in o.lines]}
        for o in orders]  # fmt: skip
    yield form("json of totals beside prices", json.dumps(totals).encode(), name="a.json")
    paid: Rows = [["Order ID", "Email", "Paid at", "Created at", "Total"]]
    paid += [[o.number, o.customer.email, f"{o.date + dt.timedelta(2)}", f"{o.date}", f"{o.amount}"] for o in orders]
    yield form("when it was paid beside when it was ordered", paid)
    taxed: Rows = [["Factuurnummer", "Debiteur", "Factuurdatum", "Bedrag excl. btw", "Bedrag incl. btw"]]
    taxed += [[o.number, o.customer.number, f"{o.date}", f"{o.amount * 4 / 5}", f"{o.amount}"] for o in orders]
    yield form("amounts without tax and with it", taxed)
    cells = {"columns": rows[0], "rows": [list(map(str, row)) for row in rows[1:]]}
    yield form("json of names and cells", json.dumps(cells).encode(), name="a.json")


Make = Callable[..., Form]


def _dates(orders: list[Order], form: Make) -> Iterator[Form]:
    for title, way in DATES.items():
        yield form(f"date: {title}", written(orders, way))
    for language, months in MONTHS.items():
        yield form(f"date: {language} month in full", written(orders, partial(in_words, months=months, mark=". ")))
    for language, months in SHORT_MONTHS.items():
        yield form(f"date: {language} month in short", written(orders, partial(in_words, months=months)))
    for language, days in _WEEKDAYS.items():
        yield form(f"date: {language} weekday in front", written(orders, partial(_on_a_weekday, days=days)))
    yield form(
        "date: Spanish with de",
        written(orders, lambda o: f"{o.date.day} de {_ROMANCE[o.date.month - 1]} de {o.date.year}"),
    )
    parts: Rows = [[o.number, o.customer.number, o.date.year, o.date.month, o.date.day, f"{o.amount}"] for o in orders]
    yield form("date: year, month and day apart", [["order no", "customer", "year", "month", "day", "amount"], *parts])
    timed: Rows = [[o.number, o.customer.number, f"{o.date}", f"{o.at:%H:%M}", f"{o.amount}"] for o in orders]
    yield form("date: time in a column of its own", [["order no", "customer", "date", "time", "amount"], *timed])
    yield form(
        "date: two digits of a year",
        written(orders, lambda o: f"{o.date:%d/%m/%y}"),
        ASKED,
        said={"years": "20yy"},
        asks="two digits",
    )
    small = [o for o in orders if o.date.day <= 12]
    yield form(
        "date: day and month open",
        written(small, lambda o: f"{o.date:%d/%m/%Y}"),
        ASKED,
        said={"dates": "dmy"},
        asks="day or the month",
        of=figures(small),
    )
    yield form("date: unreadable", written(orders, lambda o: f"week {o.date:%W} of {o.date:%y}"), ASKED, asks="week ")


def _amounts(orders: list[Order], form: Make) -> Iterator[Form]:
    ways: dict[str, Callable[[Decimal], str]] = {
        "1.234,50": lambda a: grouped(a, ".", ","),
        "1'234.50": lambda a: grouped(a, "'", "."),
        "1’234.50": lambda a: grouped(a, "’", "."),
        "1 234,50": lambda a: grouped(a, " ", ","),
        "1 234,50 (narrow)": lambda a: grouped(a, "\u202f", ",") + "\u00a0€",
        "€ 1,234.50": lambda a: f"€ {a:,.2f}",
        "1.234,50 EUR": lambda a: grouped(a, ".", ",") + " EUR",
        "EUR1234.50": lambda a: f"EUR{a}",
        "1234.50 DR": lambda a: f"{a} DR",
        "1,234.50 €": lambda a: f"{a:,.2f} €",
    }
    for title, way in ways.items():
        yield form(f"amount: {title}", priced(orders, way))
    back = {at for at in range(len(orders)) if at % 9 == 4}
    places = {o.number: at for at, o in enumerate(orders)}
    signed = figures(orders, lambda o: -1 if places[o.number] in back else 1)
    signs: dict[str, Callable[[Decimal], str]] = {
        "(12.50)": lambda a: f"({a:,.2f})",
        "12.50-": lambda a: f"{a}-",
        "−12.50": lambda a: f"\u2212{a}",
        "– 12.50": lambda a: f"\u2013 {a}",
        "12.50 CR": lambda a: f"{a} CR",
        "€ -12.50": lambda a: f"€ -{a}",
    }
    for title, way in signs.items():
        rows = [
            [o.number, o.customer.number, f"{o.date}", way(o.amount) if at in back else f"{o.amount}"]
            for at, o in enumerate(orders)
        ]
        yield form(f"sign: {title}", [list(HEAD), *rows], of=signed)
    sides: Rows = [
        [o.number, o.customer.number, f"{o.date}", *(("", f"{o.amount}") if at in back else (f"{o.amount}", ""))]
        for at, o in enumerate(orders)
    ]
    yield form("debit and credit", [["voucher no", "customer", "date", "debit", "credit"], *sides], of=signed)
    credited: Rows = [["entry", "customer", "date", "debit", "credit"], *([*row[:3], row[4], row[3]] for row in sides)]
    yield form("sales on the credit side", credited, of=signed)
    yield form("Soll und Haben", [["Belegnr", "Kunde", "Datum", "Soll", "Haben"], *sides], of=signed)
    kinds: Rows = [
        [o.number, o.customer.number, f"{o.date}", ("Invoice", "Credit note")[at in back], f"{o.amount}"]
        for at, o in enumerate(orders)
    ]
    said = {"returns": "take_off"}
    head = ["number", "customer", "date", "type", "amount"]
    yield form("returns in a column", [head, *kinds], ASKED, said=said, asks="Credit note", of=signed)
    for title, words in {"S and H": "SH", "D and C": "DC", "German": ("Verkauf", "Retoure")}.items():
        rows = [[*row[:3], words[at in back], row[4]] for at, row in enumerate(kinds)]
        yield form(
            f"returns: {title}",
            [["number", "customer", "date", "kind", "amount"], *rows],
            ASKED,
            said=said,
            asks=words[1],
            of=signed,
        )
    kept = [o for at, o in enumerate(orders) if at not in back]
    yield form(
        "returns left out", [head, *kinds], ASKED, said={"returns": "leave_out"}, asks="Credit note", of=figures(kept)
    )
    for name in ("amount_cents", "total in pence", "amount minor", "Betrag (Cent)"):
        cents = [[o.number, o.customer.number, f"{o.date}", int(o.amount * 100)] for o in orders]
        yield form(
            f"cents: {name}", [["order", "customer", "date", name], *cents], ASKED, said={"cents": "yes"}, asks="is"
        )


def _languages(orders: list[Order], form: Make) -> Iterator[Form]:
    for language, head in _HEADS.items():
        rows = [[o.number, o.customer.number, f"{o.date:%d.%m.%Y}", grouped(o.amount, ".", ",")] for o in orders]
        yield form(f"head: {language}", delimited([head, *rows], ";"))
    for language, names in _LINE_HEADS.items():
        yield form(f"lines: {language}", delimited(by_line(orders, names), ";"))
    polish: Rows = [["Numer zamówienia", "Imię i nazwisko", "Numer klienta", "Data zamówienia", "Wartość zamówienia"]]
    polish += [[o.number, "Łucja Żółć-" + o.customer.name.split()[0], o.customer.number, f"{o.date}",
                f"{o.amount}".replace(".", ",")] for o in orders]  # fmt: skip
    yield form("Polish in cp1250", delimited(polish, ";", "cp1250"))
    for encoding in ("utf-16", "utf-16-le", "utf-16-be", "utf-8-sig", "cp1252"):
        german = plain(orders, ("Bestellung", "Käufer", "Datum", "Betrag in €"))
        if encoding in ("utf-16-le", "utf-16-be", "utf-16"):
            german = plain(orders)
        yield form(f"encoding: {encoding}", delimited(german, "\t", encoding))
    for mark in ";\t|":
        yield form(f"separator {mark!r}", delimited(plain(orders), mark))
    yield form("line ends: CR", delimited(plain(orders), newline="\r"))
    yield form("all quoted", delimited(plain(orders), quoting=csv.QUOTE_ALL, newline="\r\n"))


def _rows(orders: list[Order], shuffled: list[Order], form: Make) -> Iterator[Form]:
    yield form("plain", plain(orders))
    yield form("shuffled", plain(shuffled))
    yield form("lines", by_line(orders))
    lines = by_line(orders)
    yield form("lines in no sequence", [lines[0], *random.Random(5).sample(lines[1:], len(lines) - 1)])
    bare: Rows = [[row[0], row[1], row[2], row[5]] for row in lines]
    yield form("lines without products, in no sequence", [bare[0], *random.Random(6).sample(bare[1:], len(bare) - 1)])
    wide: Rows = [["Row", *LINE_HEAD, "Segment", "Region"]]
    wide += [[at, *row, "studio", "Coast"] for at, row in enumerate(random.Random(7).sample(lines[1:], len(lines) - 1))]
    yield form("flat export in no sequence", wide)
    total: Rows = [["Order ID", "Customer", "Date", "Product", "Order total"]]
    total += [[o.number, o.customer.number, f"{o.date}", line.title, f"{o.amount}"] for o in orders for line in o.lines]
    yield form("the order's total on each line", total)
    unit: Rows = [["order", "customer", "date", "item", "qty", "unit price"]]
    unit += [[o.number, o.customer.number, f"{o.date}", line.title, line.quantity, f"{line.price}"]
             for o in orders for line in o.lines]  # fmt: skip
    yield form("quantity and unit price", unit)
    both: Rows = [["Auftrag", "Kundennr", "Kundenname", "Datum", "Summe"]]
    both += [[o.number, o.customer.number, o.customer.name, f"{o.date:%d.%m.%Y}", f"{o.amount}"] for o in orders]
    yield form("a number and a name", both)
    strange: Rows = [["Auftrag", "Wer", "Kürzel", "Datum", "Summe"]]
    strange += [[o.number, o.customer.name, o.customer.number, f"{o.date:%d.%m.%Y}", f"{o.amount}"] for o in orders]
    yield form("codes and names that no name gives away", strange)
    unknown: Rows = [["Vorgangskennzeichen X", "customer", "date", "amount"]]
    unknown += [[f"VG-{o.number}", o.customer.number, f"{o.date}", f"{o.amount}"] for o in orders]
    yield form("order numbers that no name gives away", unknown)
    coded: Rows = [["order", "customer", "date", "product code", "product title", "amount"]]
    coded += [[o.number, o.customer.number, f"{o.date}", line.code, line.title, f"{line.amount}"]
              for o in orders for line in o.lines]  # fmt: skip
    yield form("product codes and titles", coded)
    mails: Rows = [["order", "customer", "date", "amount"]]
    mails += [[o.number, f"{o.customer.name} <{o.customer.email.upper() if at % 2 else o.customer.email}>", f"{o.date}",
               f"{o.amount}"] for at, o in enumerate(orders)]  # fmt: skip
    yield form("names with addresses", mails)


def _numbers(orders: list[Order], form: Make) -> Iterator[Form]:
    counts: dict[str, int] = {}

    def numbered(key: Callable[[Order], str]) -> list[str]:
        counts.clear()
        numbers = []
        for order in orders:
            counts[key(order)] = counts.get(key(order), 0) + 1
            numbers.append(str(counts[key(order)]))
        return numbers

    def rows(numbers: Sequence[str]) -> list[list[object]]:
        return [
            [n, o.shop, o.customer.number, f"{o.date}", f"{o.amount}"] for n, o in zip(numbers, orders, strict=True)
        ]

    head = ["order no", "shop", "customer", "date", "amount"]
    yield form("numbers per shop", [head, *rows(numbered(lambda o: o.shop))])
    per_year: Rows = [[row[0], *row[2:]] for row in rows(numbered(lambda o: str(o.date.year)))]
    yield form("numbers per year", [[head[0], *head[2:]], *per_year])
    per_day: Rows = [[row[0], *row[2:]] for row in rows(numbered(lambda o: f"{o.date}"))]
    yield form("numbers per day", [[head[0], *head[2:]], *per_day])
    lines: Rows = [[n, o.shop, o.customer.number, f"{o.date}", line.title, f"{line.amount}"]
             for n, o in zip(numbered(lambda o: o.shop), orders, strict=True) for line in o.lines]  # fmt: skip
    yield form("numbers per shop, by line", [["receipt", "till", "customer", "date", "item", "amount"], *lines])
    odd: Rows = [[f"{at % (len(orders) // 2)}", o.customer.number, f"{orders[0].date}", f"{o.amount}"]
           for at, o in enumerate(orders)]  # fmt: skip
    yield form("numbers that nothing makes unique", [[head[0], *head[2:]], *odd], ASKED, asks="order number")


def _layouts(orders: list[Order], form: Make) -> Iterator[Form]:
    body = plain(orders)
    half = len(body) // 2
    yield form("titles above", [["Orders of the year"], [], ["printed", "1 July"], [], *body])
    yield form("dashes under the header", [body[0], ["--------", "-----", "----------", "-------"], *body[1:]])
    yield form("units under the header", [body[0], ["", "", "(yyyy-mm-dd)", "(EUR)"], *body[1:]])
    yield form("groups above the header", [["Order", "", "", "Money"], *body])
    lines = by_line(orders)
    yield form("groups above the header of lines", [["Order", "", "", "Goods", "", "Money"], *lines])
    yield form("footer", [*body, [], ["Printed by Mo", "", "", ""], ["Page 1 of 1"]])
    yield form("header again", [*body[:half], body[0], *body[half:]])
    for word in ("Total", "Gesamtergebnis", "Totaal", "Totale", "Razem", "Somme", "Smith Total", "Suma końcowa"):
        yield form(f"sum: {word}", [*body[:half], [word, "", "", "999.00"], *body[half:], [word, "", "", "12345.00"]])
    yield form("sum in the middle of a row", [*body, ["", "", "Grand total:", "12345.00"]])
    noted: Rows = [["order no", "customer no", "date", "note", "amount", "note"]]
    noted += [[o.number, o.customer.number, f"{o.date}", "a", f"{o.amount}", "b"] for o in orders]
    yield form("a name twice", noted)
    people = sorted({o.customer.number for o in orders})
    most = max(sum(o.customer.number == key for o in orders) for key in people)
    wide: Rows = [["customer", *(f"Order {at + 1}" for at in range(most))]]
    for key in people:
        own = [f"{o.date}" for o in orders if o.customer.number == key]
        wide.append([key, *own, *[""] * (most - len(own))])
    of = replace(figures(orders), cents=0)
    yield form("orders side by side", wide, ASKED, said={"wide": "rows"}, asks="Order 1", of=of)
    months = sorted({f"{o.date:%Y-%m}" for o in orders})
    table: Rows = [["customer", *months]]
    sums: dict[tuple[str, str], Decimal] = {}
    for o in orders:
        cell = (o.customer.number, f"{o.date:%Y-%m}")
        sums[cell] = sums.get(cell, Decimal(0)) + o.amount
    table += [[key, *(f"{sums[key, month]}" if (key, month) in sums else "" for month in months)] for key in people]
    first, last = (dt.date.fromisoformat(f"{month}-01") for month in (months[0], months[-1]))
    of = Figures(len(sums), len(people), figures(orders).cents, first, last)
    yield form("months side by side", table, ASKED, said={"wide": "rows"}, asks=months[0], of=of)
    yield form("empty", b"", REFUSED)
    yield form("header alone", [body[0]], REFUSED)
    customers: Rows = [["customer no", "name", "town"]]
    customers += [[o.customer.number, o.customer.name, f"town {at}"] for at, o in enumerate(orders)]
    yield form("customers whose rows differ", customers, ASKED)


def _containers(orders: list[Order], form: Make) -> Iterator[Form]:
    typed: Rows = [list(HEAD), *([o.number, o.customer.number, o.date, o.amount] for o in orders)]
    people: Rows = [["customer no", "name", "e-mail"]]
    people += [list(each) for each in {(o.customer.number, o.customer.name, o.customer.email) for o in orders}]
    readme: Rows = [["About this file"], ["Made by the office"], ["Questions to Mo"]]
    yield form("workbook", sheets({"Orders": typed}), name="a.xlsx")
    yield form(
        "workbook with a read-me", sheets({"Read me": readme, "Customers": people, "Orders": typed}), name="a.xlsx"
    )
    old: Rows = [[*row[:3], Decimal("1.00")] for row in typed[1:]]
    yield form(
        "workbook with a hidden sheet", sheets({"Old": [typed[0], *old], "Orders": typed}, ["Old"]), name="a.xlsx"
    )
    objects = [dict(zip(map(str, HEAD), row, strict=True)) for row in plain(orders)[1:]]
    yield form("json list", json.dumps(objects).encode(), name="a.json")
    yield form("json lines", "\n".join(map(json.dumps, objects)).encode(), name="a.jsonl")
    yield form("json with a mark", b"\xef\xbb\xbf" + json.dumps(objects).encode(), name="a.json")
    yield form("json in UTF-16", json.dumps(objects).encode("utf-16"), name="a.json")
    yield form("json behind errors", json.dumps({"errors": [], "page": 1, "data": objects}).encode(), name="a.json")
    yield form("json under two names", json.dumps({"result": {"orders": objects}}).encode(), name="a.json")
    keyed = {o.number: {"customer": o.customer.number, "date": f"{o.date}", "amount": f"{o.amount}"} for o in orders}
    yield form("json by number", json.dumps(keyed).encode(), name="a.json")
    arrays = {str(name): [row[at] for row in plain(orders)[1:]] for at, name in enumerate(HEAD)}
    yield form("json of columns", json.dumps(arrays).encode(), name="a.json")
    nested = [
        {
            "id": o.number,
            "tags": [{"tag": "new"}] if at % 7 == 0 else [],
            "customer": {"number": o.customer.number, "name": o.customer.name},
            "created_at": f"{o.at:%Y-%m-%dT%H:%M:%S}",
            "lines": [{"title": line.title, "quantity": line.quantity, "amount": f"{line.amount}"} for line in o.lines],
        }
        for at, o in enumerate(orders)
    ]
    yield form("json with lines", json.dumps(nested).encode(), name="a.json")
    yield form("json broken off", json.dumps(objects).encode()[:-40], REFUSED, name="a.json")
    yield form("parquet", columns_of(typed), name="a.parquet")
    structs: Rows = [["order no", "customer", "date", "amount"]]
    structs += [[o.number, {"number": o.customer.number, "town": o.customer.town}, o.date, o.amount] for o in orders]
    yield form("parquet with structs", columns_of(structs), name="a.parquet")
    quoted = "\n".join(
        "\t".join(map(str, row)) for row in plain(orders, ("order no", 'the "customer"', "date", "amount"))
    )
    yield form("quotes in text with tabs", quoted.encode(), name="a.tsv")
    noted: Rows = [["order no", "customer no", "date", "note", "amount"]]
    noted += [[o.number, o.customer.number, f"{o.date}", 'a \\"big\\" pot, blue', f"{o.amount}"] for o in orders]
    escaped = "\n".join(",".join(f'"{cell}"' for cell in row) for row in noted)
    yield form("quotes behind a backslash", escaped.encode())
    html = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in plain(orders))
    yield form("html called xls", f"<html><body><table>{html}</table></body></html>".encode(), name="a.xls")
    inside = "\n".join('"' + ",".join(map(str, row)) + '"' for row in plain(orders))
    yield form("rows in one cell", inside.encode())
    zeros: Rows = [list(HEAD), *([o.number, int(o.customer.number[1:]), o.date, o.amount] for o in orders)]
    yield form(
        "numbers shown with zeros", sheets({"Orders": zeros}, formats={1: "000000", 2: "yyyy-mm-dd"}), name="a.xlsx"
    )
