"""Addresses of instruments."""

from django.urls import path

from kessa.pages.instruments import views

app_name = "instruments"
urlpatterns = [
    path("new/", views.edit, name="create"),
    path("shown/", views.shown, name="shown"),
    path("<int:pk>/calibrate/", views.calibrate, name="calibrate"),
    path("<int:pk>/calibrate/shown/", views.calibrated_by, name="calibrated_by"),
    path("<int:pk>/line/", views.by_line, name="by_line"),
    path("<int:pk>/memory/", views.memory, name="memory"),
    path("<int:pk>/", views.instrument, name="instrument"),
    path("<int:pk>/edit/", views.edit, name="edit"),
    path("checks/<int:pk>/withdraw/", views.withdraw, name="withdraw"),
]
