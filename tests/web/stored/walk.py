"""Open every page of every case in a shop's data folder; run as a program, since it has a database of its own.

Prints one JSON object: by page what it answered, and the exported case file's names.
"""

from __future__ import annotations

import json
import os
import sys

import django


def walk() -> dict[str, object]:
    """What every page of every case answers."""
    from django.core.management import call_command
    from django.test import Client
    from django.urls import reverse

    from gumshoe.web.accounts.models import User
    from gumshoe.web.cases.models import Case
    from gumshoe.web.reports.casefile import export

    call_command("migrate", verbosity=0, interactive=False)
    client = Client(raise_request_exception=False, SERVER_NAME="localhost")
    client.force_login(User.objects.first())  # type: ignore[arg-type]
    pages = {"board": client.get("/").status_code}
    told: dict[str, object] = {}
    names = ("cases:complaint", "scans:scan", "scans:read", "live:live", "suspects:suspects", "bench:bench",
             "verdicts:repair", "clearing:clear", "proofs:prove", "reports:report", "reports:casefile")  # fmt: skip
    for case in Case.objects.all():
        for name in names:
            pages[name] = max(pages.get(name, 0), client.get(reverse(name, args=(case.pk,))).status_code)
        found = export(case)
        told = {
            "tests": [row.test for row in found.tests],
            "off": [row.off for row in found.events],
            "symptoms": list(found.complaint.symptoms) if found.complaint else [],
            "ruled": [row.subject for row in case.rulings.all()],
            "conditions": [row.conditions for row in case.judgements.all()],
        }
    whole = {
        "cases": [case.number for case in Case.objects.all()],
        "owners": [case.owner for case in Case.objects.all() if case.owner],
        "verdicts": sorted(row.verdict for case in Case.objects.all() for row in case.judgements.all()),
    }
    return {"pages": pages, **told, **whole}


if __name__ == "__main__":
    os.environ["DJANGO_SETTINGS_MODULE"] = "gumshoe.settings.test"
    sys.path.insert(0, os.getcwd())
    django.setup()
    sys.stdout.write(json.dumps(walk()) + "\n")
