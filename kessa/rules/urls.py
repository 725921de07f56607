"""Addresses of the rules."""

from django.urls import path

from kessa.rules import views

app_name = "rules"
urlpatterns = [path("", views.index, name="index"), path("house/", views.choose, name="choose")]
