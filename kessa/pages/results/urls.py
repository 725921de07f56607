"""Addresses of results."""

from django.urls import path

from kessa.pages.results import corrections, views

app_name = "results"
urlpatterns = [
    path("<int:pk>/", views.result, name="result"),
    path("<int:pk>/aside/", corrections.exclude, name="exclude"),
    path("<int:pk>/back/", corrections.restore, name="restore"),
    path("<int:pk>/stand-by/<slug:flag>/", corrections.confirm, name="confirm"),
    path("<int:pk>/run/<int:run>/right/", corrections.correct_reading, name="correct_reading"),
    path("<int:pk>/answer/<slug:key>/right/", corrections.correct_answer, name="correct_answer"),
    path("of/<uuid:pk>/", views.determination, name="determination"),
    path("of/<uuid:pk>/taps/", views.taps, name="taps"),
    path("of/<uuid:pk>/on/", corrections.go_on, name="go_on"),
    path("of/<uuid:pk>/further/", corrections.further_run, name="further_run"),
    path("of/<uuid:pk>/repeat/", corrections.repeat, name="repeat"),
]
