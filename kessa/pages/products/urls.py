"""Addresses of products."""

from django.urls import path

from kessa.pages.products import views

app_name = "products"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.edit, name="create"),
    path("lots/<int:pk>/", views.change_lot, name="change_lot"),
    path("<int:pk>/", views.product, name="product"),
    path("<int:pk>/edit/", views.edit, name="edit"),
    path("<int:pk>/retire/", views.retire, name="retire"),
    path("<int:pk>/lots/", views.add_lot, name="add_lot"),
]
