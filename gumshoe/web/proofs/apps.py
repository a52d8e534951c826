"""App configuration."""

from django.apps import AppConfig


class ProofsConfig(AppConfig):
    """The proofs app."""

    name = "gumshoe.web.proofs"
