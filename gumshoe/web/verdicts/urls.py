"""Addresses of the verdict."""

from django.urls import path

from gumshoe.web.verdicts import views

app_name = "verdicts"
urlpatterns = [
    path("cases/<int:pk>/repair/", views.repair, name="repair"),
    path("cases/<int:pk>/repair/verdict/", views.verdict, name="verdict"),
    path("cases/<int:pk>/repair/verdict/<int:verdict_pk>/review/", views.review, name="review"),
    path("cases/<int:pk>/repair/cause/", views.cause, name="cause"),
]
