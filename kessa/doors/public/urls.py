"""Addresses of what everybody may see."""

from django.urls import path

from kessa.doors.public import views

app_name = "public"
urlpatterns = [
    path("", views.index, name="index"),
    path("close/<int:pk>/", views.close, name="close"),
    path("poster/<int:pk>/", views.poster, name="poster"),
    path("to/<slug:slug>/", views.page, name="page"),
    path("to/<slug:slug>/within/", views.embedded, name="embedded"),
]
