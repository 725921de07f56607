"""Addresses of instruments."""

from django.urls import path

from kessa.instruments import views

app_name = "instruments"
urlpatterns = [
    path("new/", views.edit, name="create"),
    path("<int:pk>/", views.instrument, name="instrument"),
    path("<int:pk>/edit/", views.edit, name="edit"),
    path("checks/<int:pk>/withdraw/", views.withdraw, name="withdraw"),
]
