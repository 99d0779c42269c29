"""The words in which somebody says how a file is to be read."""

from goldthread.intake.formats import DateForm as DateForm
from goldthread.intake.formats import DecimalMark as DecimalMark
from goldthread.intake.formats import TwoDigitYears as TwoDigitYears
from goldthread.intake.meanings import KINDS as KINDS
from goldthread.intake.meanings import KeptAt as KeptAt
from goldthread.intake.meanings import OrdersBy as OrdersBy
