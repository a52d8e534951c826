"""Addresses of the Suspects page."""

from django.urls import path

from gumshoe.web.suspects import views

app_name = "suspects"
urlpatterns = [
    path("cases/<int:pk>/suspects/", views.suspects, name="suspects"),
    path("cases/<int:pk>/suspects/beyond/", views.beyond, name="beyond"),
    path("cases/<int:pk>/suspects/rule/", views.rule, name="rule"),
]
