"""What a case is found by: its number, the words and numbers of its evidence, its trouble codes."""

from __future__ import annotations

import logging
from collections.abc import Iterator, Sequence

from gumshoe.core.errors import GumshoeError
from gumshoe.web.cases.models import Case, State
from gumshoe.web.cases.registry import kinds
from gumshoe.web.kit.fulltext import Collection, Document

log = logging.getLogger("gumshoe.search")


def _documents(pks: Sequence[int]) -> Iterator[Document]:
    words: dict[int, list[str]] = {pk: [] for pk in pks}
    signs: dict[int, list[str]] = {pk: [] for pk in pks}
    for model in (model for kind in kinds() for model in kind.models):
        for fields, held in ((model.FOUND_BY, words), (model.FOUND_BY_SIGN, signs)):
            if fields:
                for pk, *values in model.objects.filter(case__in=pks).values_list("case_id", *fields):
                    held[pk] += [value for value in values if value]
    for case in Case.objects.filter(pk__in=pks).order_by().select_related("vehicle"):
        yield Document(case.pk, " · ".join(words[case.pk]), (case.number, *signs[case.pk]), _codes(case))


def _codes(case: Case) -> tuple[str, ...]:
    """Its trouble codes. Where what is stored of them cannot be read, it is found by the rest; its pages say why."""
    try:
        told = dict.fromkeys(code for kind in kinds() if kind.codes is not None for code in kind.codes(case))
    except GumshoeError as error:
        log.warning("case %s is not found by its codes: %s", case.number, error.what)
        return ()
    return tuple(map(str, told))


CASES = Collection(1, State, "number", _documents)
