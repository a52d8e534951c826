"""Addresses of the proposal."""

from django.urls import path

from gumshoe.web.proposal import views

app_name = "proposal"
urlpatterns = [
    path("cases/<int:pk>/repair/lines/", views.lines, name="lines"),
    path("cases/<int:pk>/repair/lines/print/", views.lines_printed, name="lines_printed"),
    path("cases/<int:pk>/repair/lines/counter/", views.counter, name="counter"),
    path("cases/<int:pk>/repair/line/", views.line, name="line"),
    path("cases/<int:pk>/repair/offer/", views.offer, name="offer"),
    path("cases/<int:pk>/repair/maintenance/", views.maintenance, name="maintenance"),
    path("cases/<int:pk>/repair/line/<int:line_pk>/answer/", views.answer, name="answer"),
]
