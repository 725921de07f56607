"""Addresses about people and teams."""

from django.urls import path

from kessa.people import views

app_name = "people"
urlpatterns = [
    path("", views.team, name="team"),
    path("none/", views.no_team, name="no_team"),
    path("members/<int:pk>/", views.change_member, name="change_member"),
    path("invitations/", views.invite, name="invite"),
    path("invitations/<int:pk>/revoke/", views.revoke_invitation, name="revoke_invitation"),
    path("authority/", views.authority, name="authority"),
    path("acts/", views.acts, name="acts"),
    path("units/", views.units, name="units"),
    path("switch/<int:pk>/", views.switch_team, name="switch"),
    path("join/<str:token>/", views.join, name="join"),
]
