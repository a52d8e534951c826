"""App configuration."""

from django.apps import AppConfig


class StandingConfig(AppConfig):
    """The standing app: it tells every page of a case where the case stands."""

    name = "gumshoe.web.standing"

    def ready(self) -> None:
        from gumshoe.web.cases import context, unchanged
        from gumshoe.web.standing import planned, services

        unchanged.shop_is.answered_by(planned.stamp)
        context.standing_of.answered_by(services.standing)
