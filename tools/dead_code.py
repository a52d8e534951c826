#!/usr/bin/env python3
"""Name what nothing uses (vulture). A name that stands in a template, a table or a script is used; what Django, or a
library that is subclassed, asks for by name stands in ALLOWED.

    .venv/bin/python tools/dead_code.py
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

from vulture import Vulture  # type: ignore[import-untyped]

ROOT = Path(__file__).resolve().parent.parent
LOOKED_AT = ("gumshoe", "benchmarks", "tests", "tools", "run.py", "manage.py")
ALLOWED = frozenset(
    [
        "Meta",
        "AllowList",
        "render_broken_contract",
        "verbose",
        "widget",
        "widgets",
        "field_order",
        "_get_session_auth_hash",
        "_fetch_all",
        "_result_cache",
        "get_failures",
        "knowledge_holds",
        "Command",
        "abstract",
        "app_name",
        "constraints",
        "indexes",
        "db_table",
        "help_texts",
        "ordering",
        "queryset",
        "urlpatterns",
        "template_name",
        "next_page",
        "redirect_authenticated_user",
        "handler400",
        "handler403",
        "handler404",
        "handler500",
        "handle",
        "add_arguments",
        "requires_system_checks",
        "to_python",
        "process_exception",
        "formatter_class",
        "forbidden",
        "bad_request",
        "csrf_failed",
        "not_found",
        "server_error",
        "empty_rxqueue",
        "specific_send",
        "specific_wait_frame",
        "_connect",
        "_udp_sock",
        "Charts",
        "reviewed_by",
        "trip_status",
        "spread_pct",
    ]
)
"""Django's names (three lines); its error views; what a library calls; run by the test runner; stored shapes, kept
because older entries and case files have them."""
MEMBERS = re.compile(r"^[A-Z][A-Z0-9_]*$")
"""Members of enumerations are chosen by their values."""
OPTIONS = re.compile(r"tools/formatting\.py")
CLASSES = re.compile(r"(Config|OnceARequest|ErrorPages|ShopTime|CountWhatWasEntered)$")
"""Named in the settings, as text."""


def named_elsewhere() -> set[str]:
    """Every word of templates, tables and scripts."""
    files = (path for ending in ("html", "txt", "toml", "js") for path in (ROOT / "gumshoe").rglob(f"*.{ending}"))
    return {
        word for path in files if "vendor" not in path.parts for word in re.findall(r"\w+", path.read_text("utf-8"))
    }


def main() -> int:
    """1 where something is not used."""
    looker = Vulture()
    looker.scavenge([str(ROOT / name) for name in LOOKED_AT])
    words, found = named_elsewhere(), 0
    for item in looker.get_unused_code(min_confidence=60):
        path = Path(item.filename).relative_to(ROOT)
        settled = (
            item.name in ALLOWED
            or item.name in words
            or CLASSES.search(item.name)
            or OPTIONS.search(str(path))
            or "migrations" in path.parts
            or path.parts[0] == "tests"
            or path.parts[:2] == ("gumshoe", "settings")
            or (item.typ == "variable" and MEMBERS.match(item.name) and "class" in _around(item))
            or item.name.startswith(("clean_", "test_"))
        )
        if not settled:
            found += 1
            print(f"{path}, line {item.first_lineno}: {item.typ} {item.name} is not used")
    print("nothing is dead" if not found else f"{found} not used")
    return 1 if found else 0


def _around(item: object) -> str:
    """``class`` where the line is indented: a constant of a module stands at its margin."""
    line = Path(item.filename).read_text("utf-8").splitlines()[item.first_lineno - 1]  # type: ignore[attr-defined]
    return "class" if line[:1].isspace() else ""


if __name__ == "__main__":
    sys.exit(main())
