"""App configuration."""

from django.apps import AppConfig


class CasesConfig(AppConfig):
    """The cases app."""

    name = "gumshoe.web.cases"
