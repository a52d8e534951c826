"""The address of the settings."""

from django.urls import path

from gumshoe.web.settings import views

app_name = "settings"
urlpatterns = [
    path("settings/", views.settings, name="settings"),
]
