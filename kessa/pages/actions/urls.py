"""Addresses of actions."""

from django.urls import path

from kessa.pages.actions import views, views_emergency, views_volume

app_name = "actions"
urlpatterns = [
    path("", views.index, name="index"),
    path("at/<int:place_pk>/", views.note, name="note"),
    path("list/<int:place_pk>/", views.begin_list, name="begin_list"),
    path("volume/<int:place_pk>/", views_volume.volume, name="volume"),
    path("emergency/", views_emergency.emergency, name="emergency"),
    path("<int:pk>/", views.action, name="action"),
    path("<int:pk>/done/", views.do, name="do"),
    path("<int:pk>/custody/", views.custody, name="custody"),
    path("<int:pk>/<slug:act>/", views.change, name="change"),
]
