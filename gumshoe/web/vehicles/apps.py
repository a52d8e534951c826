"""App configuration."""

from django.apps import AppConfig
from django.db.models.signals import post_delete, post_save


class VehiclesConfig(AppConfig):
    """The vehicles app. Links open anew when the settings of the adapter may have changed."""

    name = "gumshoe.web.vehicles"

    def ready(self) -> None:
        from gumshoe.web.settings import adapters
        from gumshoe.web.settings.models import Adapter
        from gumshoe.web.vehicles import links

        adapters.let_go.answered_by(links.free)
        post_delete.connect(links.adapter_gone, sender=Adapter, dispatch_uid="links of an adapter that is gone")
        post_save.connect(links.settings_changed, sender=Adapter, dispatch_uid="links open anew")
