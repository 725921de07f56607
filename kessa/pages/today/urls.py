"""Addresses of Today."""

from django.urls import path

from kessa.pages.today import views

app_name = "today"
urlpatterns = [
    path("", views.today, name="today"),
    path("occasion/", views.note, name="note"),
    path("not-going/", views.not_going, name="not_going"),
]
