"""Addresses of the Bench."""

from django.urls import path

from gumshoe.web.bench import views

app_name = "bench"
urlpatterns = [
    path("cases/<int:pk>/bench/", views.bench, name="bench"),
    path("cases/<int:pk>/bench/<slug:name>/", views.test, name="test"),
    path("cases/<int:pk>/bench/<slug:name>/record/", views.record, name="record"),
]
