"""Addresses of what is known of a vehicle."""

from django.urls import path

from gumshoe.web.papers import powertrain, views

app_name = "papers"
urlpatterns = [
    path("cases/<int:pk>/powertrain/", powertrain.powertrain, name="powertrain"),
    path("cases/<int:pk>/powertrain/save/", powertrain.powertrain_save, name="powertrain_save"),
    path("cases/<int:pk>/systems/", views.systems, name="systems"),
    path("cases/<int:pk>/systems/<slug:name>/", views.systems, name="system"),
    path("cases/<int:pk>/papers/", views.papers, name="papers"),
    path("cases/<int:pk>/notes/", views.notes, name="notes"),
    path("cases/<int:pk>/notes/add/", views.add_note, name="add_note"),
    path("cases/<int:pk>/notes/code/", views.add_code, name="add_code"),
    path("cases/<int:pk>/notes/heard/", views.add_heard, name="add_heard"),
    path("cases/<int:pk>/notes/withdraw/", views.withdraw, name="withdraw"),
]
