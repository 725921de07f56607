"""Addresses of the log."""

from django.urls import path

from kessa.pages.log import views

app_name = "log"
urlpatterns = [
    path("", views.index, name="index"),
    path("more-filters/", views.more_filters, name="more_filters"),
    path("kessa-log.csv", views.export, name="export"),
]
