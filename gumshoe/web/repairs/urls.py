"""Addresses of repair and clear."""

from django.urls import path

from gumshoe.web.repairs import clear_views, line_views, views, work_views

app_name = "repairs"
urlpatterns = [
    path("cases/<int:pk>/repair/", views.repair, name="repair"),
    path("cases/<int:pk>/repair/verdict/", views.verdict, name="verdict"),
    path("cases/<int:pk>/repair/verdict/<int:verdict_pk>/review/", views.review, name="review"),
    path("cases/<int:pk>/repair/cause/", views.cause, name="cause"),
    path("cases/<int:pk>/repair/lines/", line_views.lines, name="lines"),
    path("cases/<int:pk>/repair/lines/print/", line_views.lines_printed, name="lines_printed"),
    path("cases/<int:pk>/repair/lines/mail/", line_views.mail, name="mail"),
    path("cases/<int:pk>/repair/line/", line_views.line, name="line"),
    path("cases/<int:pk>/repair/offer/", line_views.offer, name="offer"),
    path("cases/<int:pk>/repair/maintenance/", line_views.maintenance, name="maintenance"),
    path("cases/<int:pk>/repair/recurrence/", line_views.recurrence, name="recurrence"),
    path("cases/<int:pk>/repair/line/<int:line_pk>/answer/", line_views.answer, name="answer"),
    path("cases/<int:pk>/repair/line/<int:line_pk>/work/", work_views.work_done, name="work_done"),
    path("cases/<int:pk>/repair/work/", work_views.work, name="work"),
    path("cases/<int:pk>/repair/work/print/", work_views.work_printed, name="work_printed"),
    path("cases/<int:pk>/repair/photos/", work_views.photo_add, name="photo_add"),
    path("cases/<int:pk>/repair/photos/<int:photo_pk>.jpg", work_views.photo, name="photo"),
    path("cases/<int:pk>/repair/ends/", work_views.end_open, name="end_open"),
    path("cases/<int:pk>/repair/ends/<int:end_pk>/", work_views.end_close, name="end_close"),
    path("cases/<int:pk>/clear/", clear_views.clear, name="clear"),
    path("cases/<int:pk>/clear/now/", clear_views.clear_now, name="clear_now"),
    path("cases/<int:pk>/clear/finish/", clear_views.finish, name="clear_finish"),
    path("cases/<int:pk>/clear/state/", clear_views.clear_state, name="clear_state"),
    path("cases/<int:pk>/clear/leave/", clear_views.leave, name="leave"),
    path("cases/<int:pk>/clear/after/<slug:name>/", clear_views.procedure, name="procedure"),
    path("cases/<int:pk>/clear/after/<slug:name>/start/", clear_views.procedure_start, name="procedure_start"),
    path("cases/<int:pk>/clear/after/<slug:name>/state/", clear_views.procedure_state, name="procedure_state"),
    path("cases/<int:pk>/clear/after/<slug:name>/stop/", clear_views.procedure_stop, name="procedure_stop"),
    path("cases/<int:pk>/clear/after/<slug:name>/by-hand/", clear_views.procedure_by_hand, name="procedure_by_hand"),
]
