"""The address of the door of taps."""

from django.urls import path

from kessa.doors.taps import views

app_name = "taps"
urlpatterns = [
    path("<slug:of>/<uuid:stream>/", views.receive, name="receive"),
    path("dropped/", views.dropped, name="dropped"),
]
