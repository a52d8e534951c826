"""Addresses of the Live page."""

from django.urls import path

from gumshoe.web.live import recording_views, views

app_name = "live"
urlpatterns = [
    path("cases/<int:pk>/live/", views.live, name="live"),
    path("cases/<int:pk>/live/news/", views.news, name="news"),
    path("cases/<int:pk>/live/history/", views.history, name="history"),
    path("cases/<int:pk>/live/figures/", views.figures, name="figures"),
    path("cases/<int:pk>/live/begin/", views.begin, name="begin"),
    path("cases/<int:pk>/live/stop/", views.stop, name="stop"),
    path("cases/<int:pk>/live/mark/", views.mark, name="mark"),
    path("cases/<int:pk>/live/channels/", views.channels, name="channels"),
    path("cases/<int:pk>/live/favourite/", views.favourite, name="favourite"),
    path("cases/<int:pk>/live/recordings/<int:number>/", recording_views.replay, name="replay"),
    path("cases/<int:pk>/live/recordings/<int:number>/data/", recording_views.data, name="data"),
    path("cases/<int:pk>/live/recordings/<int:number>/figures/", recording_views.figures, name="recorded_figures"),
    path("cases/<int:pk>/live/recordings/<int:number>/cut/", recording_views.cut, name="cut"),
    path("cases/<int:pk>/live/recordings/<int:number>/good/", recording_views.keep_as_good, name="keep_as_good"),
    path("cases/<int:pk>/live/recordings/<int:number>/export.csv", recording_views.export_csv, name="export_csv"),
    path("cases/<int:pk>/live/recordings/<int:number>/export.mf4", recording_views.export_mdf, name="export_mdf"),
    path("cases/<int:pk>/live/import/", recording_views.import_file, name="import_file"),
]
