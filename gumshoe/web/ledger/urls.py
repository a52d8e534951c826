"""Addresses of the ledger of loose ends."""

from django.urls import path

from gumshoe.web.ledger import views

app_name = "ledger"
urlpatterns = [
    path("cases/<int:pk>/repair/ends/", views.end_open, name="end_open"),
    path("cases/<int:pk>/repair/ends/<int:end_pk>/", views.end_close, name="end_close"),
]
