"""A stored case as a case file. What came from a file goes out as it came; what was added since is appended."""

from __future__ import annotations

from dataclasses import replace

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import VehicleFacts
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, kinds
from gumshoe.web.vehicles import description


def export(case: Case) -> CaseFile:
    """Everything on record that the format holds."""
    came, row, car = cases.imported_of(case) or CaseFile("gumshoe-case", 1), case.importeds.last(), case.vehicle
    document = replace(
        came,
        number=case.number,
        vehicle=VehicleFacts(
            car.vin, car.plate, car.make, car.model, car.year, None, car.platform, cases.climate_of(case)
        ),
        powertrain=description.powertrain_of(car),
    )
    going = Export(case, came, row.entries if row else {})
    for kind in kinds():
        if kind.written is not None:
            document = kind.written(going, document)
    return document
