"""App configuration."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class CasesConfig(AppConfig):
    """The cases app. Every application tells of its kinds of evidence in ``kinds.py``."""

    name = "gumshoe.web.cases"

    def ready(self) -> None:
        autodiscover_modules("kinds")
