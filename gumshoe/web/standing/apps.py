"""App configuration."""

from django.apps import AppConfig


class StandingConfig(AppConfig):
    """The standing app: it tells every page of a case where the case stands."""

    name = "gumshoe.web.standing"

    def ready(self) -> None:
        from gumshoe.web.cases import context
        from gumshoe.web.standing import services

        context.standing_of.answered_by(services.standing)
