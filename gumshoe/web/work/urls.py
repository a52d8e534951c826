"""Addresses of the work."""

from django.urls import path

from gumshoe.web.work import views

app_name = "work"
urlpatterns = [
    path("cases/<int:pk>/repair/line/<int:line_pk>/work/", views.work_done, name="work_done"),
    path("cases/<int:pk>/repair/work/", views.work, name="work"),
    path("cases/<int:pk>/repair/work/print/", views.work_printed, name="work_printed"),
    path("cases/<int:pk>/repair/photos/", views.photo_add, name="photo_add"),
    path("cases/<int:pk>/repair/photos/<int:photo_pk>.jpg", views.photo, name="photo"),
]
