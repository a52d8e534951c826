"""The address of the board."""

from django.urls import path

from gumshoe.web.board import views

app_name = "board"
urlpatterns = [
    path("", views.board, name="board"),
]
