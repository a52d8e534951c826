"""Addresses of the proof."""

from django.urls import path

from gumshoe.web.proofs import views

app_name = "proofs"
urlpatterns = [
    path("cases/<int:pk>/prove/", views.prove, name="prove"),
    path("cases/<int:pk>/prove/state/", views.state, name="state"),
    path("cases/<int:pk>/prove/begin/", views.begin, name="begin"),
    path("cases/<int:pk>/prove/finish/", views.finish, name="finish"),
    path("cases/<int:pk>/prove/tried/", views.tried, name="tried"),
    path("cases/<int:pk>/prove/count/", views.count, name="count"),
    path("cases/<int:pk>/repair/recurrence/", views.recurrence, name="recurrence"),
    path("cases/<int:pk>/prove/follow-up/", views.follow_up, name="follow_up"),
    path("proofs-due.ics", views.calendar, name="calendar"),
]
