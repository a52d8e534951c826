"""Addresses of clearing and the procedures after it."""

from django.urls import path

from gumshoe.web.clearing import views

app_name = "clearing"
urlpatterns = [
    path("cases/<int:pk>/clear/", views.clear, name="clear"),
    path("cases/<int:pk>/clear/now/", views.clear_now, name="clear_now"),
    path("cases/<int:pk>/clear/finish/", views.finish, name="clear_finish"),
    path("cases/<int:pk>/clear/state/", views.clear_state, name="clear_state"),
    path("cases/<int:pk>/clear/leave/", views.leave, name="leave"),
    path("cases/<int:pk>/clear/after/<slug:name>/", views.procedure, name="procedure"),
    path("cases/<int:pk>/clear/after/<slug:name>/start/", views.procedure_start, name="procedure_start"),
    path("cases/<int:pk>/clear/after/<slug:name>/state/", views.procedure_state, name="procedure_state"),
    path("cases/<int:pk>/clear/after/<slug:name>/stop/", views.procedure_stop, name="procedure_stop"),
    path("cases/<int:pk>/clear/after/<slug:name>/by-hand/", views.procedure_by_hand, name="procedure_by_hand"),
]
