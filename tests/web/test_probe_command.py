"""``manage.py probe``: words, JSON, and errors in one line."""

import json
import tempfile
import unittest
from io import StringIO
from pathlib import Path

from django.core.management import CommandError, call_command

from tests.core.test_probe_file import case


class Command(unittest.TestCase):
    def run_on(self, content: bytes, *flags: str) -> str:
        with tempfile.NamedTemporaryFile(suffix=".json") as file:
            Path(file.name).write_bytes(content)
            out = StringIO()
            call_command("probe", file.name, *flags, stdout=out)
        return out.getvalue()

    def test_words_and_json(self) -> None:
        text = self.run_on(case({"plus": "control", "value": 12.5}))
        self.assertIn("ground-side switched load: purge valve", text)
        self.assertIn("bits in", text)
        document = json.loads(self.run_on(case({"plus": "control", "value": 12.5}), "--json"))
        self.assertEqual((document["format"], document["version"]), ("gumshoe-probing", 1))
        self.assertTrue(document["circuits"][0]["next"][0]["shows"])

    def test_contradictory_readings_are_said_so(self) -> None:
        text = self.run_on(case({"plus": "feed", "value": 12.5}, {"plus": "fuse_out", "value": 3.0}))
        self.assertIn("No single fault explains", text)

    def test_errors_are_one_line(self) -> None:
        for content in (b"{", case({"plus": "moon", "value": 1.0}), b'{"format": "gumshoe-case", "version": 1}'):
            with self.assertRaises(CommandError):
                self.run_on(content)
