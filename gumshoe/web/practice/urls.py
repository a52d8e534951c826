"""Addresses of practice."""

from django.urls import path

from gumshoe.web.practice import views

app_name = "practice"
urlpatterns = [
    path("practice/", views.practice, name="practice"),
    path("practice/courses/<str:course>/", views.practice, name="course"),
    path("practice/courses/<str:course>/<int:number>/begin/", views.begin, name="begin"),
    path("practice/courses/<str:course>/<int:number>/exercise.json", views.course_file, name="course_file"),
    path("practice/draw/", views.draw, name="draw"),
    path("practice/import/", views.take_in, name="take_in"),
    path("practice/own/<int:pk>/begin/", views.begin_own, name="begin_own"),
    path("practice/own/<int:pk>/exercise.json", views.own_file, name="own_file"),
    path("practice/own/<int:pk>/hide/", views.hide, name="hide"),
    path("practice/of-case/<int:pk>/", views.of_case, name="of_case"),
    path("practice/<int:pk>/hint/", views.hint, name="hint"),
    path("practice/<int:pk>/end/", views.end, name="end"),
    path("practice/<int:pk>/debrief/", views.debrief, name="debrief"),
    path("practice/<int:pk>/again/", views.again, name="again"),
    path("practice/progress/", views.progress, name="progress"),
    path("practice/progress.csv", views.progress_csv, name="progress_csv"),
]
