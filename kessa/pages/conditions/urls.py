"""Addresses of the conditions of a visit."""

from django.urls import path

from kessa.pages.conditions import views

app_name = "conditions"
urlpatterns = [
    path("<uuid:pk>/circumstances/", views.conditions, name="conditions"),
    path("<uuid:pk>/circumstances/<slug:key>/right/", views.correct, name="correct"),
]
