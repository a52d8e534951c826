"""Addresses of the Bench."""

from django.urls import path

from gumshoe.web.bench import circuit_views, command_views, hand_views, trace_views, views

app_name = "bench"
urlpatterns = [
    path("cases/<int:pk>/bench/", views.bench, name="bench"),
    path("cases/<int:pk>/bench/hand/", hand_views.listed, name="hand"),
    path("cases/<int:pk>/bench/hand/<slug:name>/", hand_views.one, name="hand_one"),
    path("cases/<int:pk>/bench/hand/<slug:name>/store/", hand_views.store, name="hand_store"),
    path("cases/<int:pk>/bench/commands/", command_views.listed, name="commands"),
    path("cases/<int:pk>/bench/commands/<slug:name>/", command_views.one, name="command"),
    path("cases/<int:pk>/bench/commands/<slug:name>/start/", command_views.start, name="command_start"),
    path("cases/<int:pk>/bench/commands/<slug:name>/state/", command_views.state, name="command_state"),
    path("cases/<int:pk>/bench/commands/<slug:name>/set/", command_views.set_value, name="command_set"),
    path("cases/<int:pk>/bench/commands/<slug:name>/stop/", command_views.stop, name="command_stop"),
    path("cases/<int:pk>/bench/traces/", trace_views.listed, name="traces"),
    path("cases/<int:pk>/bench/traces/read/", trace_views.read, name="trace_read"),
    path("cases/<int:pk>/bench/traces/record/", trace_views.record, name="trace_record"),
    path("cases/<int:pk>/bench/traces/<int:number>/", trace_views.export, name="trace_export"),
    path("cases/<int:pk>/bench/circuits/", circuit_views.listed, name="circuits"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/", circuit_views.circuit, name="circuit"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/record/", circuit_views.record, name="circuit_record"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/aside/", circuit_views.aside, name="circuit_aside"),
    path("cases/<int:pk>/bench/circuits/<slug:name>/conclude/", circuit_views.conclude, name="circuit_conclude"),
    path("cases/<int:pk>/bench/withdraw/<int:number>/", views.withdraw, name="withdraw"),
    path("cases/<int:pk>/bench/<slug:name>/", views.test, name="test"),
    path("cases/<int:pk>/bench/<slug:name>/record/", views.record, name="record"),
]
