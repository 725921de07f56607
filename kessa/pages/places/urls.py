"""Addresses of places."""

from django.urls import path

from kessa.pages.places import views, views_map, views_trend

app_name = "places"
urlpatterns = [
    path("", views.index, name="index"),
    path("map/", views_map.overview, name="map"),
    path("new/", views.create, name="create"),
    path("new/<slug:kind>/", views.edit, name="create_kind"),
    path("<int:pk>/", views.place, name="place"),
    path("<int:pk>/trend/", views_trend.trends, name="trend"),
    path("<int:pk>/pairs/", views.pairs, name="pairs"),
    path("pairs/<int:pk>/part/", views.part_pair, name="part_pair"),
    path("<int:pk>/edit/", views.edit, name="edit"),
]
