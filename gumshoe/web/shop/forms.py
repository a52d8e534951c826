"""The settings form."""

from django import forms

from gumshoe.web.shop.models import Settings


class SettingsForm(forms.ModelForm):
    """Shop, money, adapter."""

    class Meta:
        model = Settings
        fields = ("shop_name", "currency", "labour_per_hour", "learns", "interface", "channel", "bitrate")
