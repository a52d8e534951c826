"""Addresses of the crew."""

from django.urls import path

from gumshoe.web.crew import views

app_name = "crew"
urlpatterns = [
    path("cases/<int:pk>/hand-over/", views.hand_over, name="hand_over"),
    path("cases/<int:pk>/hand-over/give/", views.give, name="give"),
    path("cases/<int:pk>/hand-over/take/", views.take, name="take"),
    path("cases/<int:pk>/hand-over/wait/", views.wait, name="wait"),
    path("cases/<int:pk>/hand-over/go-on/", views.go_on, name="go_on"),
    path("cases/<int:pk>/here/", views.here, name="here"),
]
