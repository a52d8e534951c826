"""App configuration."""

from django.apps import AppConfig


class ShopConfig(AppConfig):
    """The shop app."""

    name = "gumshoe.web.shop"
