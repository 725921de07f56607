"""Addresses of kits."""

from django.urls import path

from kessa.kits import views

app_name = "kits"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.edit_kit, name="create"),
    path("<int:pk>/", views.kit, name="kit"),
    path("<int:pk>/edit/", views.edit_kit, name="edit"),
    path("<int:pk>/lots/", views.add_lot, name="add_lot"),
    path("lots/<int:pk>/", views.lot, name="lot"),
    path("lots/<int:pk>/<slug:act>/", views.change_lot, name="change_lot"),
    path("instruments/new/", views.edit_instrument, name="create_instrument"),
    path("instruments/<int:pk>/", views.instrument, name="instrument"),
    path("instruments/<int:pk>/edit/", views.edit_instrument, name="edit_instrument"),
    path("pack/", views.pack, name="pack"),
    path("pack/<int:pk>/", views.packing, name="packing"),
    path("pack/<int:pk>/tick/", views.tick, name="tick"),
]
