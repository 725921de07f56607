"""Addresses of files given out and taken in."""

from django.urls import path

from kessa.exchange import views

app_name = "exchange"
urlpatterns = [
    path("out/", views.out, name="out"),
    path("out/<int:pk>/", views.fetch, name="fetch"),
    path("out/<int:pk>/cancel/", views.cancel, name="cancel"),
]
