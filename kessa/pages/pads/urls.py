"""Addresses of pads read from photographs."""

from django.urls import path

from kessa.pages.pads import views

app_name = "pads"
urlpatterns = [
    path("card/", views.card, name="card"),
    path("scales/", views.scales, name="scales"),
    path("scales/bring/", views.bring_scale, name="bring_scale"),
    path("scales/<int:pk>/", views.scale, name="scale"),
    path("scales/<int:pk>/image/", views.scale_image, name="scale_image"),
    path("of/<uuid:pk>/", views.photograph, name="photograph"),
    path("of/<uuid:pk>/<int:photograph_pk>/", views.read, name="read"),
]
