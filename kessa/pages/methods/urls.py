"""Addresses of methods."""

from django.urls import path

from kessa.pages.methods import views, views_editor

app_name = "methods"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views_editor.begin, name="begin"),
    path("file/", views_editor.take_in, name="take_in"),
    path("draft/<int:pk>/numbers/", views_editor.numbers, name="numbers"),
    path("draft/<int:pk>/steps/", views_editor.steps, name="steps"),
    path("draft/<int:pk>/check/", views_editor.check, name="check"),
    path("draft/<int:pk>/publish/", views_editor.publish, name="publish"),
    path("draft/<int:pk>/throw-away/", views_editor.throw_away, name="throw_away"),
    path("<slug:key>/", views.method, name="method"),
    path("<slug:key>/change/", views_editor.change, name="change"),
    path("<slug:key>/kit/", views_editor.kit_numbers, name="kit_numbers"),
    path("<slug:key>/retire/", views_editor.retire, name="retire"),
    path("<slug:key>/file/", views_editor.export, name="export"),
]
