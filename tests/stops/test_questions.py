"""One declaration per question: fields, commands, routes and saved views come from it alone."""

from __future__ import annotations

import unittest

import click
from pydantic import BaseModel, ValidationError

from goldthread.api.app import describe_api
from goldthread.cli.asking import ask_group
from goldthread.cli.flags import flags_of, model_of
from goldthread.core.choices import CohortFigure, OrderUnit, Period
from goldthread.core.records import OrderStatus
from goldthread.errors import InvalidInput
from goldthread.stops.cohorts.question import CohortQuestion
from goldthread.stops.registry import STOPS, questions
from goldthread.stops.rhythm.question import CountsQuestion
from goldthread.stops.saved import question_of
from goldthread.stops.sentences.reading_line import ListAs, ReadingLine
from goldthread.stops.stop import Window
from goldthread.stops.threads.question import CustomersQuestion, NthQuestion


class Derived(unittest.TestCase):
    def test_every_question_has_a_command_whose_flags_are_its_fields(self) -> None:
        for _, kind in questions():
            for name, fixed in {kind.name: {}, **{name: also[0] for name, also in kind.also.items()}}.items():
                command = ask_group.commands[name]
                flags = {param.name for param in command.params} - {"book_name", "form", "out"}
                window = set(Window.model_fields) if kind.windowed else set()
                with self.subTest(command=name):
                    self.assertEqual(flags, (set(kind.fields.model_fields) | window) - set(fixed))

    def test_every_question_has_its_routes_and_they_take_its_fields(self) -> None:
        paths = describe_api()["paths"]
        for stop, kind in questions():
            answering, at = stop.answering(kind), f"/api/books/{{book}}/ask/{kind.name}"
            kept = answering.kept is not None or answering.evidence is not None
            routes = {
                at: "get",
                f"{at}/file": "get",
                **({f"{at}/list": "post"} if kept else {}),
                **({f"{at}/behind": "get", f"{at}/recount": "get"} if answering.evidence else {}),
                **{f"{at}/{called}": "get" for called in answering.files},
                **({f"{at}/one": "get"} if answering.one else {}),
            }
            self.assertEqual({path for path in paths if path == at or path.startswith(f"{at}/")}, set(routes))
            for path, method in routes.items():
                taken = {each["name"] for each in paths[path][method]["parameters"] if each["in"] == "query"}
                with self.subTest(path=path):
                    asked = {field.alias or name for name, field in kind.fields.model_fields.items()}
                    self.assertLessEqual(asked, taken)

    def test_every_field_says_what_it_is_for(self) -> None:
        models: list[type[BaseModel]] = [kind.fields for _, kind in questions()]
        for stop, kind in questions():
            evidence = stop.answering(kind).evidence
            models += [evidence.figure] if evidence else []
        for model in models:
            for name, field in model.model_fields.items():
                with self.subTest(model=model.__name__, field=name):
                    self.assertTrue(field.description)

    def test_names_are_unique(self) -> None:
        names = [name for _, kind in questions() for name in (kind.name, *kind.also)]
        self.assertEqual(len(names), len(set(names)))
        self.assertEqual(len({stop.name for stop in STOPS}), len(STOPS))


class Values(unittest.TestCase):
    def test_a_question_is_a_value_whatever_the_sequence_in_which_it_was_said(self) -> None:
        one = ReadingLine(status=(OrderStatus.REFUNDED, OrderStatus.OPEN), source=("web", "counter", "web"))
        other = ReadingLine(source=("counter", "web"), status=(OrderStatus.OPEN, OrderStatus.REFUNDED))
        self.assertEqual((one, hash(one)), (other, hash(other)))
        self.assertEqual(CustomersQuestion(show=("orders", "", "orders", "name")).show, ("orders", "name"))
        with self.assertRaises(ValidationError):
            one.as_of = "today"  # type: ignore[misc]

    def test_flags_become_the_question_and_what_is_not_given_is_usual(self) -> None:
        command = click.Command("ask", params=flags_of(CohortQuestion), callback=lambda **given: given)
        given = command.main(
            ["--period", "QUARTER", "--status", "paid", "--list-as", "without", "--margin", "42.5"],
            standalone_mode=False,
        )
        question = model_of(CohortQuestion, given)
        self.assertEqual((question.period, question.status), (Period.QUARTER, (OrderStatus.PAID,)))
        self.assertEqual((question.list_as, question.margin), (ListAs.WITHOUT, "42.5"))
        self.assertEqual(question.figure, CohortFigure.RETENTION)
        with self.assertRaises(InvalidInput) as wrong:
            model_of(Window, {"limit": 0})
        self.assertIn("--limit", str(wrong.exception))

    def test_a_saved_view_becomes_its_question(self) -> None:
        stop, kind, question = question_of("cohorts", "period=year&source=web&source=fairs&table=figures&open=all~0")
        self.assertEqual((stop.name, kind.name), ("cohorts", "cohorts"))
        self.assertEqual(question, CohortQuestion(period=Period.YEAR, source=("fairs", "web")))
        _, kind, question = question_of("threads", "view=nth&rank=latest&show=")
        self.assertEqual((kind.name, question), ("nth", NthQuestion(rank="latest", show=())))
        self.assertEqual(question_of("threads", "")[1].name, "customers")
        _, kind, question = question_of("rhythm", "from=2026-01-01&to=2026-06-30&unit=purchase-day&open=2")
        wanted = CountsQuestion(from_date="2026-01-01", to_date="2026-06-30", unit=OrderUnit.PURCHASE_DAY)
        self.assertEqual((kind.name, question), ("counts", wanted))
        for stop_name, query, field in (
            ("moon", "", "stop"),
            ("threads", "view=moon", "view"),
            ("cohorts", "period=fortnight", "period"),
        ):
            with self.subTest(query=query), self.assertRaises(InvalidInput) as told:
                question_of(stop_name, query)
            self.assertEqual(told.exception.field, field)


if __name__ == "__main__":
    unittest.main()
