"""Addresses of the library."""

from django.urls import URLPattern

app_name = "library"
urlpatterns: list[URLPattern] = []
