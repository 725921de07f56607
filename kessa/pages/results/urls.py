"""Addresses of results."""

from django.urls import path

from kessa.pages.results import views

app_name = "results"
urlpatterns = [
    path("<int:pk>/", views.result, name="result"),
    path("of/<uuid:pk>/", views.determination, name="determination"),
    path("of/<uuid:pk>/taps/", views.taps, name="taps"),
]
