"""The figures of the arithmetic: what each is called, what it means, and its value."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from goldthread.core.choices import Period
from goldthread.core.worth.arithmetic import Arithmetic
from goldthread.stops.worth.question import Measure


class MeasureUnit(StrEnum):
    """What a figure of the arithmetic is counted in."""

    COUNT = "count"
    RATIO = "ratio"
    SHARE = "share"
    MONEY = "money"
    PERIODS = "periods"
    AGE = "age"


@dataclass(frozen=True)
class Meaning:
    """A figure in words. ``observed`` : it says what was; a projection says what would be."""

    title: str
    unit: MeasureUnit
    definition: str
    observed: bool = True


MEANINGS = {
    Measure.ORDERS: Meaning("orders", MeasureUnit.COUNT, "Counted orders of the customers who are looked at."),
    Measure.CUSTOMERS: Meaning("customers", MeasureUnit.COUNT, "Customers with at least one counted order."),
    Measure.REVENUE: Meaning("revenue", MeasureUnit.MONEY, "The sum of their order amounts."),
    Measure.ORDERS_PER_CUSTOMER: Meaning(
        "orders per customer", MeasureUnit.RATIO, "Orders divided by customers, each over the whole history."
    ),
    Measure.AVERAGE_ORDER_VALUE: Meaning("average order value (AOV)", MeasureUnit.MONEY, "Revenue divided by orders."),
    Measure.PURCHASE_FREQUENCY: Meaning(
        "purchase frequency",
        MeasureUnit.RATIO,
        "Orders per customer who ordered in a {period}, averaged over complete {period}s.",
    ),
    Measure.AVERAGE_RETENTION_RATE: Meaning(
        "average retention rate",
        MeasureUnit.SHARE,
        "Of all chances to order again in a later {period} that is over, the share that was taken.",
    ),
    Measure.AVERAGE_CHURN_RATE: Meaning(
        "average churn rate",
        MeasureUnit.SHARE,
        "1 − average retention rate: a {period} without an order is churn here.",
    ),
    Measure.LIFESPAN: Meaning(
        "lifespan",
        MeasureUnit.PERIODS,
        "1 ÷ average churn rate, in {period}s. It assumes that every {period} keeps the average retention rate.",
        observed=False,
    ),
    Measure.GROSS_MARGIN: Meaning(
        "gross margin", MeasureUnit.SHARE, "What is left of revenue after the cost of goods, as it was given."
    ),
    Measure.PROJECTED_CLV: Meaning(
        "projected customer lifetime value (CLV)",
        MeasureUnit.MONEY,
        "Average order value × orders per customer × lifespan × gross margin: the shop-floor formula. It assumes that "
        "every {period} keeps the average retention rate.",
        observed=False,
    ),
    Measure.SPEND: Meaning("spend", MeasureUnit.MONEY, "What is recorded as spent to win customers."),
    Measure.NEW_CUSTOMERS: Meaning(
        "new customers", MeasureUnit.COUNT, "Customers who first ordered in a {period} for which spend is recorded."
    ),
    Measure.CAC: Meaning(
        "customer acquisition cost (CAC)", MeasureUnit.MONEY, "Spend divided by new customers, or the amount given."
    ),
    Measure.OBSERVED_GROSS_PROFIT: Meaning(
        "observed gross profit per customer",
        MeasureUnit.MONEY,
        "Gross margin × revenue per customer up to the largest age at which a cohort is complete; before CAC.",
    ),
    Measure.OBSERVED_PROFIT: Meaning(
        "observed profit per customer",
        MeasureUnit.MONEY,
        "The same less CAC, over the cohorts whose CAC is known.",
    ),
    Measure.OBSERVED_AGE: Meaning(
        "observed up to age", MeasureUnit.AGE, "The largest age at which a cohort is complete, in {period}s."
    ),
    Measure.BREAK_EVEN_AGE: Meaning(
        "break-even age",
        MeasureUnit.AGE,
        "The smallest complete age at which profit per customer is 0 or more, in {period}s; none while it is not.",
    ),
}


def definition(measure: Measure, period: Period) -> str:
    """What a figure means, for cohorts of a period."""
    return MEANINGS[measure].definition.replace("{period}", period.value)


def value_of(found: Arithmetic, measure: Measure) -> float:
    """A figure: shares as fractions, money in ten-thousandths; NaN where undefined, infinite where unbounded."""
    values = {
        Measure.ORDERS: found.orders,
        Measure.CUSTOMERS: found.customers,
        Measure.REVENUE: found.revenue_minor,
        Measure.ORDERS_PER_CUSTOMER: found.orders_per_customer,
        Measure.AVERAGE_ORDER_VALUE: found.average_order_value_minor,
        Measure.PURCHASE_FREQUENCY: found.purchase_frequency,
        Measure.AVERAGE_RETENTION_RATE: found.average_retention_rate,
        Measure.AVERAGE_CHURN_RATE: found.average_churn_rate,
        Measure.LIFESPAN: found.lifespan_periods,
        Measure.GROSS_MARGIN: found.gross_margin,
        Measure.PROJECTED_CLV: found.projected_clv_minor,
        Measure.SPEND: found.cost.spent_minor,
        Measure.NEW_CUSTOMERS: found.cost.customers,
        Measure.CAC: found.cac_minor,
        Measure.OBSERVED_GROSS_PROFIT: found.observed_gross_minor,
        Measure.OBSERVED_PROFIT: found.observed_profit_minor,
        Measure.OBSERVED_AGE: found.payback.largest_age,
        Measure.BREAK_EVEN_AGE: found.payback.break_even_age,
    }
    value = values[measure]
    return float("nan") if value is None else float(value)
