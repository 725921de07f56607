"""Addresses of files given out and taken in."""

from django.urls import path

from kessa.pages.exchange import views

app_name = "exchange"
urlpatterns = [
    path("out/", views.out, name="out"),
    path("out/<int:pk>/", views.fetch, name="fetch"),
    path("out/<int:pk>/cancel/", views.cancel, name="cancel"),
    path("in/", views.imports, name="imports"),
    path("in/file/", views.take_in, name="take_in"),
    path("in/<int:pk>/", views.imported, name="import"),
    path("in/<int:pk>/left-out.csv", views.left_out, name="left_out"),
    path("in/<int:pk>/<slug:act>/", views.change_import, name="change_import"),
]
