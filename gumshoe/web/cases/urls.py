"""Addresses of intake."""

from django.urls import path

from gumshoe.web.cases import powertrain, views

app_name = "cases"
urlpatterns = [
    path("cases/<int:pk>/powertrain/", powertrain.powertrain, name="powertrain"),
    path("cases/<int:pk>/powertrain/save/", powertrain.powertrain_save, name="powertrain_save"),
    path("cases/new/", views.new, name="new"),
    path("cases/<int:pk>/", views.resume, name="resume"),
    path("cases/<int:pk>/complaint/", views.complaint, name="complaint"),
    path("cases/<int:pk>/complaint/save/", views.complaint_save, name="complaint_save"),
]
