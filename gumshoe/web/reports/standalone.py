"""The report as one HTML file that needs nothing else: styles and photographs are inside it."""

from __future__ import annotations

import base64
from pathlib import Path

from django.contrib.staticfiles import finders
from django.template.loader import render_to_string

from gumshoe.web.cases.models import Case
from gumshoe.web.reports import services
from gumshoe.web.settings.models import Settings
from gumshoe.web.work import photos

STYLES = ("ui/standalone.css", "ui/paper.css")


def page(case: Case) -> str:
    """The whole report: the customer's page, then the file."""
    pictures = []
    for row in case.photos.select_related("by"):
        path = photos.path_of(row)
        if path.is_file():
            pictures.append((row, base64.b64encode(path.read_bytes()).decode("ascii")))
    return render_to_string(
        "reports/standalone.html",
        {
            "case": case,
            "vehicle": case.vehicle,
            "shop_settings": Settings.load(),
            "report": services.customer(case),
            "file": services.file(case),
            "pictures": pictures,
            "style": "\n".join(Path(str(finders.find(name))).read_text(encoding="utf-8") for name in STYLES),
        },
    )
