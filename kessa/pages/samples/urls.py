"""Addresses of samples."""

from django.urls import path

from kessa.pages.samples import views

app_name = "samples"
urlpatterns = [
    path("sample/at/<int:place_pk>/", views.sample, name="sample"),
    path("sample/<uuid:pk>/right/", views.correct, name="correct"),
    path("<uuid:pk>/samples/", views.without_visit, name="without_visit"),
    path("labels/", views.labels, name="labels"),
    path("bottle/<slug:code>/", views.bottle, name="bottle"),
]
