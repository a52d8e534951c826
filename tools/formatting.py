#!/usr/bin/env python3
"""Format templates (djade), styles (cssbeautifier) and scripts (jsbeautifier), or say what is not formatted.

    .venv/bin/python tools/formatting.py [--check]

Lines are at most LONGEST characters: a template is broken by hand where a line break means what a space meant (in text,
between attributes, beside a block), which no formatter knows.
"""

from __future__ import annotations

import subprocess
import sys
import sysconfig
from pathlib import Path

import cssbeautifier
import jsbeautifier

ROOT = Path(__file__).resolve().parent.parent
WEB = ROOT / "gumshoe" / "web"
OWN = WEB / "ui" / "static" / "ui"
LONGEST = 140
SCRIPT_WIDTH = 120


def style(text: str) -> str:
    """A style sheet as it is to be."""
    options = cssbeautifier.default_options()
    options.indent_size, options.end_with_newline = 2, True
    options.selector_separator_newline, options.newline_between_rules = False, False
    options.space_around_combinator = True
    return str(cssbeautifier.beautify(text, options))


def script(text: str) -> str:
    """A script as it is to be."""
    options = jsbeautifier.default_options()
    options.indent_size, options.end_with_newline, options.wrap_line_length = 2, True, SCRIPT_WIDTH
    return str(jsbeautifier.beautify(text, options))


def main(arguments: list[str]) -> int:
    """Format, or with ``--check`` name what is not; 1 where anything is left to do."""
    check, wrong = "--check" in arguments, list[str]()
    templates = sorted(WEB.rglob("*.html"))
    djade = [Path(sysconfig.get_path("scripts")) / "djade", "--target-version", "5.2", *(["--check"] if check else [])]
    if subprocess.run([*map(str, djade), *map(str, templates)]).returncode and check:
        wrong.append("templates: not formatted")
    for suffix, turn in ((".css", style), (".js", script)):
        for path in sorted(OWN.glob(f"*{suffix}")):
            text = path.read_text(encoding="utf-8")
            if turn(text) != text:
                wrong += [f"{path.relative_to(ROOT)}: not formatted"] if check else []
                if not check:
                    path.write_text(turn(text), encoding="utf-8")
    for path in (*templates, *sorted(OWN.glob("*.css")), *sorted(OWN.glob("*.js"))):
        for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
            if len(line) > LONGEST:
                wrong.append(f"{path.relative_to(ROOT)}, line {number}: {len(line)} characters")
    print("\n".join(wrong) or "formatted")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
