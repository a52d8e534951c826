"""Addresses of the shop."""

from django.urls import path

from gumshoe.web.shop import views

app_name = "shop"
urlpatterns = [
    path("", views.board, name="board"),
    path("vehicles/<int:pk>/history/", views.vehicle_history, name="history"),
    path("parts/", views.parts, name="parts"),
    path("settings/", views.settings, name="settings"),
]
