"""Addresses of methods."""

from django.urls import path

from kessa.methods import views

app_name = "methods"
urlpatterns = [
    path("", views.index, name="index"),
    path("<slug:key>/", views.method, name="method"),
]
