"""App configuration."""

from django.apps import AppConfig


class VehiclesConfig(AppConfig):
    """The vehicles app."""

    name = "gumshoe.web.vehicles"
