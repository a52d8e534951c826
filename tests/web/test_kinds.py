"""Kinds of evidence: none is without a home, and a new one takes three files, as docs/extending.md says."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from django.apps import apps
from django.test import SimpleTestCase, tag

from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.registry import kinds
from tests.shop import of_its_own

ROOT = Path(__file__).resolve().parents[2]
SKIPPED = shutil.ignore_patterns("__pycache__")

WIRING = "    wiring: tuple[WiringRow, ...] = ()\n"
MODEL = """

class Sniff(Evidence):
    \"\"\"What it smells of, and where.\"\"\"

    words = models.CharField(max_length=20)
"""
FACTS = """
@dataclass(frozen=True)
class SniffFacts:
    \"\"\"What it smelt of.\"\"\"

    words: str
    at: str = ""


"""
KIND = """

def _sniffs_written(export, document):
    rows = export.added(export.case.sniffs.all())
    return replace(document, sniffs=(*document.sniffs, *(SniffFacts(row.words, row.at.isoformat()) for row in rows)))


def _sniffs_read(file):
    for row in file.document.sniffs:
        file.make(Sniff, row.at, words=row.words)


def _sniffs_tell(case, found, _since):
    smells = ("fuel_smell",) if any("fuel" in row.words for row in case.sniffs.all()) else ()
    return replace(found, symptoms=(*found.symptoms, *smells))


def _sniffs_filed(case):
    return {"title": "Smells", "rows": [(row.words, row) for row in case.sniffs.all()]}


register(
    Kind(
        name="sniffs",
        models=(Sniff,),
        written=_sniffs_written,
        read=_sniffs_read,
        tells=_sniffs_tell,
        sections=(Section(45, ROWS, _sniffs_filed),),
    )
)
"""
FOLLOWS = """
import django
django.setup()
from django.core.management import call_command
from django.test import Client
from gumshoe.core.casefile import write_case
from gumshoe.web.accounts.models import User
from gumshoe.web.bench.models import Sniff
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.judging import evidence_of
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.importing import import_case
from gumshoe.web.vehicles.models import Vehicle
call_command("makemigrations", "bench", verbosity=0)
call_command("migrate", verbosity=0)
someone = User.objects.create_user("someone", role="lead")
vehicle = Vehicle.objects.create(plate="S 1", make="Ostrel", model="Tern", platform="ostrel_tern_16")
case = cases.open_case(someone, vehicle)
Sniff.objects.create(case=case, by=someone, words="of fuel, at the rail")
assert "fuel_smell" in evidence_of(case).symptoms, "it is judged"
came = import_case(someone, write_case(export(case)).encode())
assert [row.words for row in came.sniffs.all()] == ["of fuel, at the rail"], "it comes back from a file"
assert len(export(came).sniffs) == 1, "once"
client = Client(headers={"host": "localhost"})
client.force_login(someone)
page = client.get(f"/cases/{case.pk}/report/file/").content.decode()
assert "Smells" in page and "of fuel, at the rail" in page, "it stands in the technical file"
print("followed")
"""


class Homes(SimpleTestCase):
    def test_every_model_of_evidence_belongs_to_one_kind(self) -> None:
        claimed = [model for kind in kinds() for model in kind.models]
        ours = {model for model in apps.get_models() if issubclass(model, Evidence)}
        self.assertEqual(set(claimed), ours)
        self.assertEqual(len(claimed), len(set(claimed)), "claimed twice")

    def test_a_section_has_a_place_of_its_own(self) -> None:
        places = [section.place for kind in kinds() for section in kind.sections]
        self.assertEqual(len(places), len(set(places)))


@tag("long")
class Followed(SimpleTestCase):
    def test_a_new_kind_takes_three_files(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder) / "gumshoe"
            shutil.copytree(ROOT / "gumshoe", copy, ignore=SKIPPED)
            self.changed(copy / "web/bench/models.py", end=MODEL)
            self.changed(
                copy / "core/casefile/model.py",
                ("@dataclass(frozen=True)\nclass CaseFile:", FACTS + "@dataclass(frozen=True)\nclass CaseFile:"),
                (WIRING, WIRING + "    sniffs: tuple[SniffFacts, ...] = ()\n"),
            )
            self.changed(
                copy / "web/bench/kinds.py",
                ("import CircuitFacts, ", "import CircuitFacts, SniffFacts, "),
                ("    ScopeTrace,\n", "    ScopeTrace,\n    Sniff,\n"),
                ("registry import ", "registry import ROWS, "),
                end=KIND,
            )
            told = subprocess.run(
                [sys.executable, "-c", FOLLOWS],
                cwd=folder,
                env={
                    **of_its_own(Path(folder) / "data"),
                    "DJANGO_SETTINGS_MODULE": "gumshoe.settings.test",
                    "GUMSHOE_COMPILED": "",
                },
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(told.stdout.strip(), "followed", told.stderr[-2000:])

    def changed(self, path: Path, *pairs: tuple[str, str], end: str = "") -> None:
        text = path.read_text(encoding="utf-8")
        for old, new in pairs:
            self.assertIn(old, text)
            text = text.replace(old, new, 1)
        path.write_text(text + end, encoding="utf-8")
