"""A contract for import-linter: a package may import nothing of another beyond a list of modules."""

from __future__ import annotations

from typing import Any

from grimp import ImportGraph
from importlinter import Contract, ContractCheck, fields, output


class AllowList(Contract):
    """Modules of ``source`` import, of ``target``, only what stands in ``allowed`` (or is inside it)."""

    source = fields.StringField()
    target = fields.StringField()
    allowed = fields.ListField(subfield=fields.StringField())

    def check(self, graph: ImportGraph, verbose: bool) -> ContractCheck:
        inside = {self.source, *graph.find_descendants(self.source)}
        found = [
            (module, other)
            for module in sorted(inside)
            for other in sorted(graph.find_modules_directly_imported_by(module))
            if _within(other, self.target) and not any(_within(other, name) for name in self.allowed)
        ]
        return ContractCheck(kept=not found, metadata={"found": found})

    def render_broken_contract(self, check: ContractCheck) -> None:
        for module, other in check.metadata["found"]:
            output.print_error(f"{module} imports {other}, which it may not know.")


def _within(module: Any, package: Any) -> bool:
    return bool(module == package or module.startswith(f"{package}."))
