"""App configuration."""

from django.apps import AppConfig


class ProposalConfig(AppConfig):
    """The proposal app."""

    name = "gumshoe.web.proposal"
