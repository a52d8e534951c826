"""Addresses of intake."""

from django.urls import path

from gumshoe.web.cases import views

app_name = "cases"
urlpatterns = [
    path("cases/new/", views.new, name="new"),
    path("cases/new/typed/", views.new_typed, name="new_typed"),
    path("cases/<int:pk>/complaint/", views.complaint, name="complaint"),
    path("cases/<int:pk>/complaint/save/", views.complaint_save, name="complaint_save"),
]
