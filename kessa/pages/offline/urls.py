"""Addresses of what works without a signal."""

from django.urls import path

from kessa.pages.offline import views

app_name = "offline"
urlpatterns = [
    path("", views.visits, name="visits"),
    path("check/<slug:key>/", views.check, name="check"),
    path("<int:place_pk>/<slug:family>/", views.test, name="test"),
    path("<int:place_pk>/", views.visit, name="visit"),
]
