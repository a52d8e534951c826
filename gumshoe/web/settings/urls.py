"""Addresses of the settings."""

from django.urls import path

from gumshoe.web.settings import views

app_name = "settings"
urlpatterns = [
    path("first-start/", views.first_start, name="first_start"),
    path("settings/", views.settings, name="settings"),
    path("settings/adapters/", views.all_adapters, name="adapters"),
    path("settings/adapters/new/", views.new_adapter, name="new_adapter"),
    path("settings/adapters/<int:pk>/", views.adapter, name="adapter"),
    path("settings/adapters/<int:pk>/drop/", views.drop_adapter, name="drop_adapter"),
    path("settings/adapters/<int:pk>/test/", views.test_adapter, name="test_adapter"),
    path("settings/adapters/<int:pk>/test/state/", views.test_state, name="test_state"),
]
