"""Where the work of a case goes on."""

from django.urls import path

from gumshoe.web.standing import views

app_name = "standing"
urlpatterns = [
    path("cases/<int:pk>/", views.resume, name="resume"),
]
