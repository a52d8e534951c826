"""Addresses of what the shop has behind it."""

from django.urls import path

from gumshoe.web.history import views

app_name = "history"
urlpatterns = [
    path("vehicles/<int:pk>/history/", views.vehicle_history, name="history"),
    path("parts/", views.parts, name="parts"),
]
