"""App configuration."""

from django.apps import AppConfig


class PracticeConfig(AppConfig):
    """The practice app: it answers what stages before it ask of exercises."""

    name = "gumshoe.web.practice"

    def ready(self) -> None:
        from gumshoe.web.cases import context
        from gumshoe.web.practice import kinds, practising  # noqa: F401  (registers its kind of evidence)
        from gumshoe.web.vehicles import garage

        context.practising.answered_by(practising.of)
        garage.practised_on.answered_by(practising.stand_in)
