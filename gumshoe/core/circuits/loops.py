"""Loop analysis of circuits whose states share their elements and differ in ohms.

A tree of the least resistances reaches every node; every other element closes one loop (Kirchhoff 1847; Chua, Desoer &
Kuh, Linear and Nonlinear Circuits, McGraw-Hill 1987). There are far fewer loops than nodes, and what opens adds
resistance to the loops through it. Every source has an inner resistance, so it is an element like any other.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Kind
from gumshoe.core.errors import DataError

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

JUMPER_OHM = 0.03


class Net:
    """A circuit with its jumpers as nodes and columns. Columns are its elements, then the jumpers; ``there`` are those
    that exist in the sound circuit. Nodes are numbered by ``index``, ground the last."""

    def __init__(self, circuit: Circuit, jumpers: frozenset[tuple[str, str]] = frozenset()) -> None:
        self.circuit, self.jumpers = circuit, len(jumpers)
        self.index = {node: place for place, node in enumerate((*circuit.nodes, GROUND))}
        ends = [(item.a, item.b) for item in circuit.elements] + sorted(jumpers)
        self.begin = np.array([self.index[a] for a, _ in ends])
        self.end = np.array([self.index[b] for _, b in ends])
        self.supplies = [column for column, item in enumerate(circuit.elements) if item.kind is Kind.SUPPLY]
        self.emf = np.zeros(len(ends))
        self.emf[self.supplies] = [circuit.elements[column].volts for column in self.supplies]

    def columns(self, ohms: Floats, powered: Bools) -> Floats:
        """Ohms of all columns (settings, columns) from those of the elements: jumpers with theirs, supplies taken off
        where the setting is not powered, for then an ohmmeter's own voltage is the only one."""
        found = np.full((len(ohms), len(self.begin)), JUMPER_OHM)
        found[:, : ohms.shape[1]] = ohms
        for column in self.supplies:
            found[~powered, column] = OPEN_OHM
        return found

    def loops(self, ohms: Floats) -> tuple[Floats, Floats]:
        """A tree of the least ohms (columns; infinite for what is not there) that reaches every node, and the loops
        that the other columns close: ``up`` (nodes, columns), which columns of the tree lead from a node to ground and
        which way; ``through`` (loops, columns), which of them a loop comes back through, −1 for what closes it.

        Raises DataError when a node hangs on nothing.
        """
        root = list(range(len(self.index)))
        begin, end = self.begin.tolist(), self.end.tolist()
        beside: list[list[tuple[int, int, float]]] = [[] for _ in root]
        links = []
        for column in np.argsort(ohms, kind="stable")[: np.count_nonzero(np.isfinite(ohms))].tolist():
            a, b = begin[column], end[column]
            while root[a] != a:
                a = root[a]
            while root[b] != b:
                b = root[b]
            if a == b:
                links.append(column)
                continue
            root[a] = b
            beside[begin[column]].append((end[column], column, -1.0))
            beside[end[column]].append((begin[column], column, 1.0))
        up = np.zeros((len(root), len(begin)))
        reached = [(len(root) - 1, -1)]
        for node, came in reached:
            for other, column, way in beside[node]:
                if column != came:
                    up[other] = up[node]
                    up[other, column] = way
                    reached.append((other, column))
        if len(reached) < len(root):
            raise DataError(f"{self.circuit.id}: a node hangs on nothing.")
        through = up[self.begin[links]] - up[self.end[links]]
        through[np.arange(len(links)), links] = -1.0
        return up, through


class States:
    """States of a net solved. ``volts`` (states, nodes), ``ohms`` (states, nodes, nodes). One volt in a column: volts
    at the nodes (``reach``: states, nodes, columns), the ``siemens`` that it sees and the ``amperes`` that flow there
    without it (states, columns)."""

    def __init__(self, up: Floats, through: Floats, ohms: Floats, emf: Floats) -> None:
        """``up`` and ``through`` of each state's loops; ``ohms`` and ``emf`` (states, columns) of what is there."""
        along = ohms[:, None, :]
        back = through.transpose(0, 2, 1)
        inverse = np.asarray(np.linalg.inv((through * along) @ back), dtype=np.float64)
        down = up * along
        lifted = down @ back
        by_loop = lifted @ inverse
        self.ohms: Floats = down @ up.transpose(0, 2, 1) - by_loop @ lifted.transpose(0, 2, 1)
        self.reach: Floats = up - by_loop @ through
        self.volts: Floats = (self.reach @ emf[:, :, None])[:, :, 0]
        seen = inverse @ through
        self.siemens: Floats = (seen * through).sum(axis=1)
        self.amperes: Floats = -(back @ (seen @ emf[:, :, None]))[:, :, 0]
