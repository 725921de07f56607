"""Addresses of results."""

from django.urls import path

from kessa.pages.results import corrections, views

app_name = "results"
urlpatterns = [
    path("<int:pk>/", views.result, name="result"),
    path("<int:pk>/aside/", corrections.set_aside, name="set_aside"),
    path("<int:pk>/back/", corrections.bring_back, name="bring_back"),
    path("<int:pk>/stand-by/<slug:flag>/", corrections.stand_by, name="stand_by"),
    path("<int:pk>/run/<int:run>/right/", corrections.put_reading_right, name="put_reading_right"),
    path("<int:pk>/answer/<slug:key>/right/", corrections.put_answer_right, name="put_answer_right"),
    path("of/<uuid:pk>/", views.determination, name="determination"),
    path("of/<uuid:pk>/taps/", views.taps, name="taps"),
    path("of/<uuid:pk>/on/", corrections.go_on, name="go_on"),
    path("of/<uuid:pk>/further/", corrections.further_run, name="further_run"),
    path("of/<uuid:pk>/repeat/", corrections.repeat, name="repeat"),
]
