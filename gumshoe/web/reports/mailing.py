"""Mail to the customer: the proposal, the report. In the demo it goes into a folder (settings: file outbox)."""

from __future__ import annotations

from smtplib import SMTPException

from django.core.exceptions import ValidationError
from django.core.mail import EmailMultiAlternatives
from django.core.validators import validate_email
from django.template.loader import render_to_string

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.suspects.driving import Mended
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import judging
from gumshoe.web.cases.models import Case
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports import standalone
from gumshoe.web.reports.models import Mail
from gumshoe.web.settings.models import Settings
from gumshoe.web.ui.readers import for_shop


class MailFailed(GumshoeError):
    """The mail could not be handed over."""

    kept = "The proposal is unchanged; nothing is recorded as sent."
    remedies = ("print it instead", "ask whoever looks after the server about its mail settings")


def send_proposal(case: Case, user: User, to: str) -> Mail:
    """Send the proposal as it stands. Raises BadInput without lines or with a bad address, MailFailed."""
    rows = [row for row in offering.proposed(case) if not row.passed_over]
    if not rows:
        raise BadInput("There is nothing proposed yet.", remedies=("add a line first",))
    shop = Settings.load()
    values = {
        "case": case,
        "rows": rows,
        "totals": offering.totals(rows),
        "shop": shop,
        "shop_settings": shop,
        "verdict": case.verdicts.last(),
        "advice": judging.judged(case).advice,
        "mended": judging.judged(case).grounds.mended is not Mended.NO,
    }
    text = render_to_string("reports/proposal_mail.txt", values)
    subject = f"{shop.shop_name}: proposal for {case.vehicle.plate}, case {case.number}"
    return send(case, user, to, subject, text)


def send_report(case: Case, user: User, to: str) -> Mail:
    """Send the report: a few lines, and the self-contained page with it. Raises BadInput, MailFailed."""
    shop, judgement = Settings.load(), case.judgements.last()
    car = case.vehicle
    text = (
        f"{shop.shop_name}\n\nThe report on {car.plate} ({car.make} {car.model}), case {case.number}, is attached. "
        f"The repair is {judgement.verdict if judgement else 'not yet judged'}.\n"
    )
    subject = f"{shop.shop_name}: report on {car.plate}, case {case.number}"
    return send(case, user, to, subject, text, (f"case-{case.number}.html", standalone.page(case)))


def send(case: Case, user: User, to: str, subject: str, text: str, page: tuple[str, str] | None = None) -> Mail:
    """Hand a mail over and keep a copy with the case. ``page``: name and content of a page that goes along."""
    Mail.fits(case)
    address = to.strip()
    try:
        validate_email(address)
    except ValidationError as error:
        raise BadInput(f"“{to}” is no mail address.", remedies=("name@place",)) from error
    subject = " ".join(subject.split())[:160]  # a line break in a name must not become a header
    text = for_shop(text)
    message = EmailMultiAlternatives(subject, text, to=[address])
    if page is not None:
        message.attach(page[0], page[1], "text/html")
    try:
        message.send()
    except (OSError, SMTPException) as error:
        raise MailFailed(f"The mail could not be handed over: {error}.") from error
    return Mail.objects.create(case=case, by=user, to=address, subject=subject, text=text)
