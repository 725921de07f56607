"""Addresses of the rounds."""

from django.urls import path

from kessa.pages.rounds import views

app_name = "rounds"
urlpatterns = [
    path("feed/", views.change_feed, name="change_feed"),
    path("rounds/", views.index, name="index"),
    path("rounds/new/", views.edit, name="create"),
    path("rounds/preview/", views.preview, name="preview"),
    path("rounds/<int:pk>/", views.round_page, name="round"),
    path("rounds/<int:pk>/edit/", views.edit, name="edit"),
    path("rounds/<int:pk>/stops/", views.add_stops, name="add_stops"),
    path("rounds/<int:pk>/stops/<int:stop_pk>/leave/", views.leave_out, name="leave_out"),
    path("rounds/<int:pk>/retire/", views.retire, name="retire"),
]
