"""Addresses of the log."""

from django.urls import path

from kessa.log import views

app_name = "log"
urlpatterns = [
    path("", views.index, name="index"),
    path("kessa-log.csv", views.export, name="export"),
    path("<int:pk>/", views.result, name="result"),
    path("determination/<int:pk>/", views.determination, name="determination"),
]
