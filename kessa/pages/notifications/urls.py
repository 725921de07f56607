"""Addresses about being told."""

from django.conf import settings
from django.urls import path

from kessa.pages.notifications import views

app_name = "notifications"
urlpatterns = [
    path("", views.wish, name="wish"),
    path("rule/", views.team_rule, name="team_rule"),
]
if settings.DEMO:
    urlpatterns.append(path("caught/", views.caught, name="caught"))
