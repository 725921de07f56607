"""Addresses of photographs."""

from django.urls import path

from kessa.pages.photographs import views

app_name = "photographs"
urlpatterns = [
    path("<slug:subject>/<int:pk>/add/", views.add, name="add"),
    path("<slug:subject>/<uuid:pk>/add/", views.add, name="add"),
    path("<int:pk>/", views.image, name="image"),
    path("<int:pk>/remove/", views.remove, name="remove"),
]
