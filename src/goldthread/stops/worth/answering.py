"""How the questions of Worth are answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from goldthread.stops.stop import Answering, Drawn, Evidence, Picture, whole, windowed
from goldthread.stops.worth import bought, difference, evidence, recount
from goldthread.stops.worth.answer import (
    CompareAnswer,
    PaybackAnswer,
    SpendAnswer,
    TopCustomersAnswer,
    WorthAnswer,
    ask_compare,
    ask_payback,
    ask_spend,
    ask_top_customers,
    ask_worth,
)
from goldthread.stops.worth.bought_shape import BoughtShape, LeadsToShape, bought_sheet, leads_to_sheet
from goldthread.stops.worth.checks import worth_steps
from goldthread.stops.worth.difference_shape import DifferenceShape, difference_sheet
from goldthread.stops.worth.forecast import ForecastAnswer, ask_forecast
from goldthread.stops.worth.forecast_shape import ForecastShape, forecast_sheet
from goldthread.stops.worth.list_shape import SpendShape, TopCustomersShape
from goldthread.stops.worth.question import (
    BoughtFigureName,
    BoughtQuestion,
    CompareFigureName,
    CompareQuestion,
    DifferenceFigureName,
    DifferenceQuestion,
    ForecastQuestion,
    LeadsToFigureName,
    LeadsToQuestion,
    PaybackFigureName,
    PaybackQuestion,
    SpendFigureName,
    SpendQuestion,
    TopCustomersFigureName,
    TopCustomersQuestion,
    WorthFigureName,
    WorthQuestion,
    drawn,
)
from goldthread.stops.worth.shape import CompareShape, PaybackShape, WorthShape
from goldthread.stops.worth.sheet import (
    compare_sheet,
    compared_column,
    payback_sheet,
    spend_sheet,
    top_customers_sheet,
    worth_sheet,
)


def _if_or_not(question: WorthQuestion) -> str:
    changed = any(question.change(name) for name in ("if_margin", "if_cac", "if_order_value", "if_retention"))
    return "worth-if" if changed else "worth"


def _payback_columns(answer: PaybackAnswer) -> tuple[str, ...]:
    return (f"{drawn(answer.question)}_per_customer",)


def _compared_columns(answer: CompareAnswer) -> tuple[str, ...]:
    brought = compared_column(answer)
    return (brought, f"other_{brought}")


def _forecast_columns(answer: ForecastAnswer) -> tuple[str, ...]:
    return (answer.question.figure_shown.value,)


ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "worth": Answering[WorthQuestion, WorthAnswer](
        ask=ask_worth,
        as_json=whole(WorthShape.of),
        shape=WorthShape,
        sheet=worth_sheet,
        file_name=_if_or_not,
        evidence=Evidence(
            WorthFigureName,
            evidence.worth_counted,
            evidence.open_worth,
            evidence.worth_words_of,
            recount.recount_worth,
        ),
    ),
    "payback": Answering[PaybackQuestion, PaybackAnswer](
        ask=ask_payback,
        as_json=whole(PaybackShape.of),
        shape=PaybackShape,
        sheet=payback_sheet,
        file_name=lambda question: f"payback-by-{question.period}",
        picture=Picture(Drawn.CURVES, "age", _payback_columns, "group"),
        evidence=Evidence(
            PaybackFigureName,
            evidence.payback_counted,
            evidence.open_payback,
            evidence.payback_words_of,
            recount.recount_payback,
        ),
    ),
    "forecast": Answering[ForecastQuestion, ForecastAnswer](
        ask=ask_forecast,
        as_json=whole(ForecastShape.of),
        shape=ForecastShape,
        sheet=forecast_sheet,
        file_name=lambda question: f"forecast-by-{question.period.kind}",
        picture=Picture(Drawn.CLOTH, "age", _forecast_columns, "cohort"),
    ),
    "spend": Answering[SpendQuestion, SpendAnswer](
        ask=ask_spend,
        as_json=windowed(SpendShape.of),
        shape=SpendShape,
        sheet=spend_sheet,
        file_name="spend-and-new-customers",
        evidence=Evidence(
            SpendFigureName,
            evidence.spend_counted,
            evidence.open_spend,
            evidence.spend_words_of,
            recount.recount_spend,
        ),
    ),
    "compare": Answering[CompareQuestion, CompareAnswer](
        ask=ask_compare,
        as_json=whole(CompareShape.of),
        shape=CompareShape,
        sheet=compare_sheet,
        file_name="compared-by-age",
        picture=Picture(Drawn.CURVES, "age", _compared_columns),
        evidence=Evidence(
            CompareFigureName,
            evidence.compare_counted,
            evidence.open_compare,
            evidence.compare_words_of,
            recount.recount_compare,
        ),
    ),
    "bought": Answering[BoughtQuestion, bought.BoughtAnswer](
        ask=bought.ask_bought,
        as_json=windowed(BoughtShape.of),
        shape=BoughtShape,
        sheet=bought_sheet,
        file_name=lambda question: f"revenue-by-{question.by}",
        picture=Picture(Drawn.COLUMNS, "category", ("revenue",)),
        evidence=Evidence(
            BoughtFigureName,
            bought.bought_counted,
            bought.open_bought,
            bought.bought_words_of,
            bought.recount_bought_figure,
        ),
    ),
    "difference": Answering[DifferenceQuestion, difference.DifferenceAnswer](
        ask=difference.ask_difference,
        as_json=whole(DifferenceShape.of),
        shape=DifferenceShape,
        sheet=difference_sheet,
        file_name=lambda question: f"difference-in-{question.measure.value.replace('_', '-')}",
        evidence=Evidence(
            DifferenceFigureName,
            difference.difference_counted,
            difference.open_difference,
            difference.difference_words,
            difference.recount_difference,
        ),
    ),
    "leads-to": Answering[LeadsToQuestion, bought.LeadsToAnswer](
        ask=bought.ask_leads_to,
        as_json=whole(LeadsToShape.of),
        shape=LeadsToShape,
        sheet=leads_to_sheet,
        file_name="what-first-purchases-lead-to",
        picture=Picture(Drawn.CLOTH, "later_category", ("share",), "first_category"),
        evidence=Evidence(
            LeadsToFigureName,
            bought.leads_to_counted,
            bought.open_leads_to,
            bought.leads_to_words_of,
            bought.recount_leads_to,
        ),
    ),
    "top-customers": Answering[TopCustomersQuestion, TopCustomersAnswer](
        ask=ask_top_customers,
        as_json=windowed(TopCustomersShape.of),
        shape=TopCustomersShape,
        sheet=top_customers_sheet,
        file_name="customers-by-revenue",
        picture=Picture(Drawn.CURVES, "place", ("cumulative_share",)),
        evidence=Evidence(
            TopCustomersFigureName,
            evidence.top_counted,
            evidence.open_top,
            evidence.top_words_of,
            recount.recount_top_customers,
        ),
    ),
}
STEPS = worth_steps
"""What must hold of its tables."""
