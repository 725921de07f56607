"""Addresses of kits and lots."""

from django.urls import path

from kessa.pages.kits import views

app_name = "kits"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.edit_kit, name="create"),
    path("<int:pk>/", views.kit, name="kit"),
    path("<int:pk>/edit/", views.edit_kit, name="edit"),
    path("<int:pk>/lots/", views.add_lot, name="add_lot"),
    path("lots/<int:pk>/", views.lot, name="lot"),
    path("lots/<int:pk>/<slug:act>/", views.change_lot, name="change_lot"),
]
