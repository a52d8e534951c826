"""App configuration."""

from django.apps import AppConfig


class HistoryConfig(AppConfig):
    """The history app: it answers what stages before it ask of the shop's past."""

    name = "gumshoe.web.history"

    def ready(self) -> None:
        from gumshoe.web.cases import context
        from gumshoe.web.cases import services as cases
        from gumshoe.web.history import services, sums
        from gumshoe.web.proposal import services as proposal

        cases.count_up.answered_by(sums.up_to_date)
        context.comebacks_of.answered_by(services.comebacks_of)
        proposal.part_life.answered_by(services.part_life)
        proposal.earlier_recurrences.answered_by(services.recurrences)
