"""Addresses about people and teams."""

from django.urls import path

from kessa.pages.people import views, views_contacts

app_name = "people"
urlpatterns = [
    path("", views.team, name="team"),
    path("none/", views.no_team, name="no_team"),
    path("members/<int:pk>/", views.change_member, name="change_member"),
    path("invitations/", views.invite, name="invite"),
    path("invitations/<int:pk>/revoke/", views.revoke_invitation, name="revoke_invitation"),
    path("contacts/", views_contacts.contacts, name="contacts"),
    path("contacts/new/", views_contacts.edit, name="add_contact"),
    path("contacts/<int:pk>/", views_contacts.edit, name="edit_contact"),
    path("contacts/<int:pk>/drop/", views_contacts.drop, name="drop_contact"),
    path("acts/", views.acts, name="acts"),
    path("pin/", views.pin, name="pin"),
    path("units/", views.units, name="units"),
    path("switch/<int:pk>/", views.switch_team, name="switch"),
    path("join/<str:token>/", views.join, name="join"),
]
