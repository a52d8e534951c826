"""The open case format: its shape, reading and writing it, and what the core makes of a case in it."""

from gumshoe.core.casefile.assess import CaseAssessment, assess_file
from gumshoe.core.casefile.files import case_of, json_schema, plain_case, read_case, write_case
from gumshoe.core.casefile.model import CaseFile, CaseFileError

__all__ = [
    "CaseAssessment",
    "CaseFile",
    "CaseFileError",
    "assess_file",
    "case_of",
    "json_schema",
    "plain_case",
    "read_case",
    "write_case",
]
