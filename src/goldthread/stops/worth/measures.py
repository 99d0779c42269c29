"""The figures of the arithmetic: what each is called, what it means, and its value."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from goldthread.core.worth.arithmetic import Arithmetic
from goldthread.stops.worth.question import WorthMeasure, WorthQuestion


class MeasureUnit(StrEnum):
    """What a figure of the arithmetic is counted in."""

    COUNT = "count"
    RATIO = "ratio"
    SHARE = "share"
    MONEY = "money"
    PERIODS = "periods"
    AGE = "age"


@dataclass(frozen=True)
class MeasureWords:
    """A figure in words. ``observed`` : it says what was; a projection says what would be."""

    title: str
    unit: MeasureUnit
    definition: str
    observed: bool = True


MEANINGS = {
    WorthMeasure.ORDERS: MeasureWords(
        "orders", MeasureUnit.COUNT, "Counted orders of the customers who are looked at."
    ),
    WorthMeasure.CUSTOMERS: MeasureWords("customers", MeasureUnit.COUNT, "Customers with at least one counted order."),
    WorthMeasure.REVENUE: MeasureWords("revenue", MeasureUnit.MONEY, "The sum of their order amounts."),
    WorthMeasure.ORDERS_PER_CUSTOMER: MeasureWords(
        "orders per customer", MeasureUnit.RATIO, "Orders divided by customers, each over the whole history."
    ),
    WorthMeasure.AVERAGE_ORDER_VALUE: MeasureWords(
        "average order value (AOV)", MeasureUnit.MONEY, "Revenue divided by orders."
    ),
    WorthMeasure.PURCHASE_FREQUENCY: MeasureWords(
        "purchase frequency",
        MeasureUnit.RATIO,
        "Orders per customer who ordered in a {period}, averaged over complete {period}s.",
    ),
    WorthMeasure.AVERAGE_RETENTION_RATE: MeasureWords(
        "average retention rate",
        MeasureUnit.SHARE,
        "Of all chances to order again in a later {period} that is over, the share that was taken.",
    ),
    WorthMeasure.AVERAGE_CHURN_RATE: MeasureWords(
        "average churn rate",
        MeasureUnit.SHARE,
        "1 − average retention rate: a {period} without an order is churn here.",
    ),
    WorthMeasure.LIFESPAN: MeasureWords(
        "lifespan",
        MeasureUnit.PERIODS,
        "1 ÷ average churn rate, in {period}s. It assumes that every {period} keeps the average retention rate.",
        observed=False,
    ),
    WorthMeasure.GROSS_MARGIN: MeasureWords(
        "gross margin", MeasureUnit.SHARE, "What is left of revenue after the cost of goods, as it was given."
    ),
    WorthMeasure.PROJECTED_CLV: MeasureWords(
        "projected customer lifetime value (CLV)",
        MeasureUnit.MONEY,
        "Average order value × orders per customer × lifespan × gross margin: the shop-floor formula. It assumes that "
        "every {period} keeps the average retention rate.",
        observed=False,
    ),
    WorthMeasure.SPEND: MeasureWords("spend", MeasureUnit.MONEY, "What is recorded as spent to win customers."),
    WorthMeasure.NEW_CUSTOMERS: MeasureWords(
        "new customers", MeasureUnit.COUNT, "Customers who first ordered in a {period} for which spend is recorded."
    ),
    WorthMeasure.CAC: MeasureWords(
        "customer acquisition cost (CAC)", MeasureUnit.MONEY, "Spend divided by new customers, or the amount given."
    ),
    WorthMeasure.OBSERVED_GROSS_PROFIT: MeasureWords(
        "observed gross profit per customer",
        MeasureUnit.MONEY,
        "Gross margin × revenue per customer up to the largest age that {small} customers have completed; before CAC.",
    ),
    WorthMeasure.OBSERVED_PROFIT: MeasureWords(
        "observed profit per customer",
        MeasureUnit.MONEY,
        "The same less CAC, over the cohorts whose CAC is known.",
    ),
    WorthMeasure.OBSERVED_AGE: MeasureWords(
        "observed up to age",
        MeasureUnit.AGE,
        "The largest age that {small} customers have completed, in {period}s; the largest at all where fewer have any.",
    ),
    WorthMeasure.BREAK_EVEN_AGE: MeasureWords(
        "break-even age",
        MeasureUnit.AGE,
        "The smallest complete age at which profit per customer is 0 or more, in {period}s; none while it is not.",
    ),
}


def definition(measure: WorthMeasure, question: WorthQuestion) -> str:
    """What a figure means, as a question asks it."""
    return MEANINGS[measure].definition.format(period=question.period.noun, small=question.small)


def value_of(found: Arithmetic, measure: WorthMeasure) -> float:
    """A figure: shares as fractions, money in ten-thousandths; NaN where undefined, infinite where unbounded."""
    values = {
        WorthMeasure.ORDERS: found.orders,
        WorthMeasure.CUSTOMERS: found.customers,
        WorthMeasure.REVENUE: found.revenue_minor,
        WorthMeasure.ORDERS_PER_CUSTOMER: found.orders_per_customer,
        WorthMeasure.AVERAGE_ORDER_VALUE: found.average_order_value_minor,
        WorthMeasure.PURCHASE_FREQUENCY: found.purchase_frequency,
        WorthMeasure.AVERAGE_RETENTION_RATE: found.average_retention_rate,
        WorthMeasure.AVERAGE_CHURN_RATE: found.average_churn_rate,
        WorthMeasure.LIFESPAN: found.lifespan_periods,
        WorthMeasure.GROSS_MARGIN: found.gross_margin,
        WorthMeasure.PROJECTED_CLV: found.projected_clv_minor,
        WorthMeasure.SPEND: found.cost.spent_minor,
        WorthMeasure.NEW_CUSTOMERS: found.cost.customers,
        WorthMeasure.CAC: found.cac_minor,
        WorthMeasure.OBSERVED_GROSS_PROFIT: found.observed_gross_minor,
        WorthMeasure.OBSERVED_PROFIT: found.observed_profit_minor,
        WorthMeasure.OBSERVED_AGE: found.payback.largest_age,
        WorthMeasure.BREAK_EVEN_AGE: found.payback.break_even_age,
    }
    value = values[measure]
    return float("nan") if value is None else float(value)
