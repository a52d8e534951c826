"""Addresses of repair and clear."""

from django.urls import path

from gumshoe.web.repairs import views

app_name = "repairs"
urlpatterns = [
    path("cases/<int:pk>/repair/", views.repair, name="repair"),
    path("cases/<int:pk>/repair/verdict/", views.verdict, name="verdict"),
    path("cases/<int:pk>/repair/cause/", views.cause, name="cause"),
    path("cases/<int:pk>/repair/line/", views.line, name="line"),
    path("cases/<int:pk>/repair/line/<int:line_pk>/answer/", views.answer, name="answer"),
    path("cases/<int:pk>/repair/line/<int:line_pk>/work/", views.work, name="work"),
    path("cases/<int:pk>/repair/ends/", views.end_open, name="end_open"),
    path("cases/<int:pk>/repair/ends/<int:end_pk>/", views.end_close, name="end_close"),
    path("cases/<int:pk>/clear/", views.clear, name="clear"),
    path("cases/<int:pk>/clear/now/", views.clear_now, name="clear_now"),
]
