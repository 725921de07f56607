"""Addresses of packing."""

from django.urls import path

from kessa.pages.packing import views

app_name = "packing"
urlpatterns = [
    path("pack/", views.pack, name="pack"),
    path("pack/<int:pk>/", views.packing, name="packing"),
    path("pack/<int:pk>/tick/", views.tick, name="tick"),
]
