"""Addresses of the Bench."""

from django.urls import path

from gumshoe.web.bench import circuit_views, hand_views, views

app_name = "bench"
urlpatterns = [
    path("cases/<int:pk>/bench/", views.bench, name="bench"),
    path("cases/<int:pk>/bench/hand/", hand_views.listed, name="hand"),
    path("cases/<int:pk>/bench/hand/<slug:name>/", hand_views.one, name="hand_one"),
    path("cases/<int:pk>/bench/hand/<slug:name>/store/", hand_views.store, name="hand_store"),
    path("cases/<int:pk>/bench/circuits/", circuit_views.listed, name="circuits"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/", circuit_views.circuit, name="circuit"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/record/", circuit_views.record, name="circuit_record"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/aside/", circuit_views.aside, name="circuit_aside"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/conclude/", circuit_views.conclude, name="circuit_conclude"),
    path("cases/<int:pk>/bench/<slug:name>/", views.test, name="test"),
    path("cases/<int:pk>/bench/<slug:name>/record/", views.record, name="record"),
]
