"""Addresses of the pages about the API; its own are in kessa.web.urls."""

from django.urls import path

from kessa.pages.api import views

app_name = "api"
urlpatterns = [
    path("", views.index, name="index"),
    path("keys/<int:pk>/revoke/", views.revoke, name="revoke"),
    path("hooks/", views.make_hook, name="make_hook"),
    path("hooks/<int:pk>/close/", views.close_hook, name="close_hook"),
]
