"""App configuration."""

from django.apps import AppConfig


class UiConfig(AppConfig):
    """The ui app."""

    name = "gumshoe.web.ui"

    def ready(self) -> None:
        from gumshoe.web.ui import checks  # noqa: F401  registers itself
