"""Addresses of the Live page."""

from django.urls import path

from gumshoe.web.live import views

app_name = "live"
urlpatterns = [
    path("cases/<int:pk>/live/", views.live, name="live"),
    path("cases/<int:pk>/live/news/", views.news, name="news"),
    path("cases/<int:pk>/live/begin/", views.begin, name="begin"),
    path("cases/<int:pk>/live/stop/", views.stop, name="stop"),
]
