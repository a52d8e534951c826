"""Addresses of the report."""

from django.urls import path

from gumshoe.web.reports import views

app_name = "reports"
urlpatterns = [
    path("cases/import/", views.import_case, name="import"),
    path("cases/<int:pk>/report/", views.report, name="report"),
    path("cases/<int:pk>/label/", views.label, name="label"),
    path("cases/<int:pk>/report/file/", views.file, name="file"),
    path("cases/<int:pk>/report/page.html", views.page, name="page"),
    path("cases/<int:pk>/report/mail/", views.mail, name="mail"),
    path("cases/<int:pk>/repair/lines/mail/", views.mail_proposal, name="mail_proposal"),
    path("cases/<int:pk>/report/case.json", views.casefile, name="casefile"),
    path("cases/<int:pk>/report/reopen/", views.reopen, name="reopen"),
    path("cases/<int:pk>/report/close/", views.close, name="close"),
]
