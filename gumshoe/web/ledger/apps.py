"""App configuration."""

from django.apps import AppConfig


class LedgerConfig(AppConfig):
    """The ledger app."""

    name = "gumshoe.web.ledger"
