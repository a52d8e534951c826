"""Coordinates of the proof's drawings: where it was driven, and the belief against fault-free exposure."""

from __future__ import annotations

import math
from typing import Any

from gumshoe.core.proof.exposure import Curve
from gumshoe.core.proof.plan import Plan
from gumshoe.core.proof.tracker import GRID_LOAD, GRID_RPM

CELL_W, CELL_H, MAP_LEFT, MAP_TOP = 30, 22, 44, 10
CURVE_W, CURVE_H, CURVE_LEFT, CURVE_TOP = 560, 170, 46, 12


def x_of(rpm: float) -> float:
    """Across: engine speed."""
    return round(MAP_LEFT + (rpm - GRID_RPM[0]) / 250.0 * CELL_W, 1)


def y_of(load: float) -> float:
    """Up: load."""
    return round(MAP_TOP + (100.0 - load) / 10.0 * CELL_H, 1)


def coverage_map(plan: Plan) -> dict[str, Any]:
    """The grid of the coverage drawing: cells with their place, axes, and the frame's window."""
    cells = [
        {"id": f"{rpm}-{load}", "x": x_of(rpm), "y": y_of(load + 10)}
        for rpm in GRID_RPM
        for load in GRID_LOAD
        if load < 100
    ]
    shape: dict[str, Any] = {
        "cells": cells,
        "cell_w": CELL_W - 1,
        "cell_h": CELL_H - 1,
        "left": MAP_LEFT,
        "bottom": y_of(0),
        "width": x_of(GRID_RPM[-1] + 250) + 10,
        "height": y_of(0) + 40,
        "rpm_ticks": [{"x": x_of(rpm), "text": rpm} for rpm in range(500, 4751, 500)],
        "load_ticks": [{"y": y_of(load), "text": load} for load in range(0, 101, 20)],
        "frame": None,
    }
    window = plan.window
    if window is not None:
        left, right = x_of(max(window.rpm[0], GRID_RPM[0])), x_of(min(window.rpm[1], GRID_RPM[-1] + 250))
        shape["frame"] = {
            "x": left,
            "y": y_of(window.load_pct[1]),
            "w": max(right - left, 0.0),
            "h": y_of(window.load_pct[0]) - y_of(window.load_pct[1]),
            "dot_x": x_of(window.point[0]),
            "dot_y": y_of(window.point[1]),
        }
    return shape


def round_ticks(far: float) -> list[float]:
    """Round values from 0 up to ``far``, some five of them: steps of 1, 2 or 5 times a power of ten."""
    raw = far / 5.0
    power = 10.0 ** math.floor(math.log10(raw))
    step = next(power * factor for factor in (1.0, 2.0, 5.0, 10.0) if power * factor >= raw)
    return [step * number for number in range(int(far / step) + 1)]


def curve_chart(curve: Curve) -> dict[str, Any]:
    """The belief that the repair holds, against the fault-free exposure: line, the level wanted, the present point."""
    far = curve.points[-1][0] or 1.0

    def x(exposure: float) -> float:
        return round(CURVE_LEFT + (CURVE_W - CURVE_LEFT - 20) * exposure / far, 1)

    def y(chance: float) -> float:
        return round(CURVE_TOP + (CURVE_H - CURVE_TOP - 4) * (1.0 - chance), 1)

    reached = curve.wanted <= far
    return {
        "width": CURVE_W,
        "height": CURVE_H + 40,
        "base": y(0.0),
        "top": CURVE_TOP,
        "left": CURVE_LEFT,
        "right": CURVE_W - 20,
        "points": " ".join(f"{x(exposure)},{y(chance)}" for exposure, chance in curve.points),
        "level_y": y(curve.level),
        "level": f"{curve.level:.0%}".replace("%", " %"),
        "now_x": x(min(curve.clean, far)),
        "now_y": y(curve.now),
        "wanted_x": x(curve.wanted) if reached else None,
        "ticks": [{"x": x(value), "text": f"{value:,g}"} for value in round_ticks(far)],
        "chances": [{"y": y(i / 4), "text": f"{25 * i}"} for i in range(5)],
        "unit": str(curve.before.unit),
    }
