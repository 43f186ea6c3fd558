"""The columns of the mix, and its one ruler of dB, which serves setting and measurement."""

from __future__ import annotations

import math

__all__ = [
    "GRID_DB",
    "NAME_X",
    "RAIL_W",
    "RAIL_X",
    "SEND_LOW_DB",
    "SEND_W",
    "SEND_X",
    "VALUE_W",
    "WIDTH_W",
    "WIDTH_X",
    "db_at",
    "gain_db",
    "send_db_at",
    "send_x",
    "x_of_db",
]

NAME_X, RAIL_X, RAIL_W, VALUE_W, WIDTH_X, WIDTH_W = 9.0, 130.0, 312.0, 72.0, 530.0, 44.0
SEND_X, SEND_W = (586.0, 637.0, 688.0, 739.0), 38.0
GRID_DB = (-36, -24, -12, 0)
LOW_DB, SPAN_DB, LENGTH, BEND = -60.0, 66.0, 308.0, 1.5
SEND_LOW_DB = -36.0
"""A send below this is off."""


def x_of_db(db: float) -> float:
    """Place of a level on a rail in px.

    Examples
    --------
    >>> round(x_of_db(6.0))
    310
    """
    return float(2 + LENGTH * min(max((db - LOW_DB) / SPAN_DB, 0.0), 1.0) ** BEND)


def db_at(x: float) -> float:
    """Inverse of ``x_of_db``; left of the rail: silence."""
    return -96.0 if x < 0 else float(LOW_DB + SPAN_DB * min((max(x - 2, 0.0) / LENGTH), 1.0) ** (1 / BEND))


def send_x(db: float) -> float:
    """Place of a send on its rail in px."""
    return SEND_W * min(max((db - SEND_LOW_DB) / -SEND_LOW_DB, 0.0), 1.0)


def send_db_at(x: float) -> float:
    """Inverse of ``send_x``."""
    return round(SEND_LOW_DB * (1 - min(max(x / SEND_W, 0.0), 1.0)), 1)


def gain_db(gain: float) -> float:
    """Level in dB of a linear gain; -120 for none."""
    return 20 * math.log10(gain) if gain > 1e-6 else -120.0
