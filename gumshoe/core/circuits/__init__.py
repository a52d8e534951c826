"""Circuits that are computed: netlists, node voltages, faults, and where to put the leads next."""

from gumshoe.core.circuits.faults import Fault, FaultModel, model
from gumshoe.core.circuits.library import circuit_for
from gumshoe.core.circuits.netlist import GROUND, Circuit, Instrument, Probe, Setting
from gumshoe.core.circuits.probing import contradiction, groups, left, propose
from gumshoe.core.circuits.sitting import ProbeReading
from gumshoe.core.circuits.templates import templates

__all__ = [
    "GROUND",
    "Circuit",
    "Fault",
    "FaultModel",
    "Instrument",
    "Probe",
    "ProbeReading",
    "Setting",
    "circuit_for",
    "contradiction",
    "groups",
    "left",
    "model",
    "propose",
    "templates",
]
