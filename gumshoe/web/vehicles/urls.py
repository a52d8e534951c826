"""Addresses of the stand-in's controls."""

from django.urls import path

from gumshoe.web.vehicles import views

app_name = "vehicles"
urlpatterns = [
    path("vehicles/<int:pk>/stand-in/", views.stand_in_state, name="stand_in_state"),
    path("vehicles/<int:pk>/stand-in/act/", views.stand_in_act, name="stand_in_act"),
]
