"""Addresses of scan and read."""

from django.urls import path

from gumshoe.web.scans import misfire, views

app_name = "scans"
urlpatterns = [
    path("cases/<int:pk>/scan/", views.scan, name="scan"),
    path("cases/<int:pk>/scan/now/", views.scan_now, name="scan_now"),
    path("cases/<int:pk>/scan/<int:scan_pk>/frames.log", views.frames, name="frames"),
    path("cases/<int:pk>/scan/through/", views.through, name="through"),
    path("cases/<int:pk>/scan/vin/", views.vin_answer, name="vin_answer"),
    path("cases/<int:pk>/scan/typed/", views.typed, name="typed"),
    path("cases/<int:pk>/scan/compare/", views.compare, name="compare"),
    path("cases/<int:pk>/read/", views.read, name="read"),
    path("cases/<int:pk>/misfire/", misfire.misfire, name="misfire"),
    path("cases/<int:pk>/misfire/by-hand/", misfire.by_hand, name="by_hand"),
]
