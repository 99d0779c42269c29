"""Exact money: whole ten-thousandths of the currency unit, and how they are written (``docs/definitions.md``, 1.2)."""

from __future__ import annotations

from decimal import Decimal

MINOR_PER_UNIT = 10_000
"""Ten-thousandths: fine enough for every amount that a file gives."""
_ROUND_STEPS = (1, 1.5, 2, 2.5, 3, 4, 5, 7.5, 10)


def money_text(minor: int) -> str:
    """An exact amount as a plain decimal, with at least two decimals."""
    units, part = divmod(abs(minor), MINOR_PER_UNIT)
    text = f"{'-' if minor < 0 else ''}{units}.{part:04d}"
    return text if part % 100 else text[:-2]


def number_text(minor: int) -> str:
    """Ten-thousandths as a plain number, without decimals that say nothing."""
    text = money_text(minor)
    return text.rstrip("0").rstrip(".") if "." in text else text


def decimal_minor(text: str) -> int:
    """A plain decimal of up to four decimals in ten-thousandths."""
    return minor_of(Decimal(text))


def amount_text(amount: Decimal) -> str:
    """An exact amount of the record as a plain decimal, with at least two decimals."""
    return money_text(minor_of(amount))


def minor_of(amount: Decimal) -> int:
    """An amount in ten-thousandths; what is finer is cut off."""
    return int(amount * MINOR_PER_UNIT)


def whole_cents(minor: float) -> int:
    """The nearest whole hundredth of the currency unit, in ten-thousandths: for averages that are shown."""
    return round(minor / 100) * 100


def round_number(minor: int) -> int:
    """The nearest of 1, 1.5, 2, 2.5, 3, 4, 5, 7.5 times a power of ten, of the same sign."""
    size = abs(minor)
    if size == 0:
        return 0
    power = 10 ** (len(str(size)) - 1)
    rounded = min((int(step * power) for step in _ROUND_STEPS), key=lambda step: abs(step - size))
    return rounded if minor > 0 else -rounded
