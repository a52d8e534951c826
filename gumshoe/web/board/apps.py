"""App configuration."""

from django.apps import AppConfig


class BoardConfig(AppConfig):
    """The board app."""

    name = "gumshoe.web.board"
