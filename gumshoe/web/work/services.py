"""The work: what to lay out before it, and each line carried out, with part, price, warranty and minutes."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from gumshoe.core.errors import BadInput
from gumshoe.core.history.comebacks import WARRANTY_KM, WARRANTY_MONTHS
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.work.offers import Scope, members
from gumshoe.core.work.worksheet import LayOut, lay_out
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.proposal.models import Answer, Line
from gumshoe.web.vehicles.cars import car_of
from gumshoe.web.work.models import Work


@dataclass(frozen=True)
class Fitting:
    """What was fitted, as typed: number, make, price, warranty in months and kilometres."""

    number: str = ""
    make: str = ""
    price: Decimal | None = None
    warranty_months: int | None = None
    warranty_km: int | None = None


NOTHING_FITTED = Fitting()


@once
def approved_lines(case: Case) -> list[Line]:
    """The lines to carry out: approved and not yet done."""
    found = []
    for line in case.lines.prefetch_related("answers", "works"):
        answers = list(line.answers.all())
        if answers and answers[-1].kind == Answer.Kind.APPROVED and not line.works.all():
            found.append(line)
    return found


def sheet(case: Case) -> LayOut:
    """What the approved repairs take, to be laid out before anything comes apart."""
    knowledge = cases.knowledge_of(case)
    platform = platforms().get(case.vehicle.platform)
    rows = [knowledge.repairs[line.repair] for line in approved_lines(case) if line.repair in knowledge.repairs]
    return lay_out(knowledge, dict.fromkeys(rows), platform.torque if platform else {})


def do_work(
    case: Case,
    user: User,
    line_pk: int,
    fitting: Fitting = NOTHING_FITTED,
    minutes: int | None = None,
    remark: str = "",
) -> Work:
    """Record a line as carried out; on a stand-in the part is truly mended. Raises BadInput without an approval."""
    line = case.lines.filter(pk=line_pk).first()
    if line is None:
        raise BadInput("There is no such line in this case.")
    latest = line.answers.last()
    if latest is None or latest.kind != Answer.Kind.APPROVED:
        raise BadInput("This line has not been approved.", remedies=("ask the customer and record the answer first",))
    complaint = cases.complaint_of(case)
    with in_turn():
        if line.works.exists():
            raise BadInput("This line is already recorded as done.")
        work = Work.objects.create(
            case=case,
            by=user,
            line=line,
            part_number=fitting.number,
            part_make=fitting.make,
            minutes_taken=minutes,
            remark=remark.strip(),
            price=fitting.price,
            warranty_months=WARRANTY_MONTHS if fitting.warranty_months is None else fitting.warranty_months,
            warranty_km=round(WARRANTY_KM) if fitting.warranty_km is None else fitting.warranty_km,
            odometer_km=complaint.odometer_km if complaint else None,
        )
    _carry_out(case, line)
    return work


def _carry_out(case: Case, line: Line) -> None:
    knowledge = cases.knowledge_of(case)
    row = knowledge.repairs.get(line.repair)
    if row is None:
        if line.component:
            car_of(case.vehicle).carry_out(line.component, (), work="renew")
        return
    for one in members(knowledge, row) if line.scope == Scope.SET else (row,):
        car_of(case.vehicle).carry_out(one.component, knowledge.reached_by(one.id), work=one.work)
