"""Addresses of methods."""

from django.urls import path

from kessa.methods import editor, views

app_name = "methods"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", editor.begin, name="begin"),
    path("file/", editor.take_in, name="take_in"),
    path("draft/<int:pk>/numbers/", editor.numbers, name="numbers"),
    path("draft/<int:pk>/steps/", editor.steps, name="steps"),
    path("draft/<int:pk>/check/", editor.check, name="check"),
    path("draft/<int:pk>/publish/", editor.publish, name="publish"),
    path("draft/<int:pk>/throw-away/", editor.throw_away, name="throw_away"),
    path("<slug:key>/", views.method, name="method"),
    path("<slug:key>/change/", editor.change, name="change"),
    path("<slug:key>/retire/", editor.retire, name="retire"),
    path("<slug:key>/file/", editor.export, name="export"),
]
