"""Addresses of the conditions of a visit."""

from django.urls import path

from kessa.pages.conditions import views

app_name = "conditions"
urlpatterns = [
    path("<uuid:pk>/circumstances/", views.circumstances, name="conditions"),
    path("<uuid:pk>/circumstances/<slug:key>/right/", views.put_observation_right, name="correct"),
]
