"""Addresses of reviews."""

from django.urls import path

from kessa.pages.review import views

app_name = "review"
urlpatterns = [
    path("", views.index, name="index"),
    path("accept/", views.accept_many, name="accept_many"),
    path("release/", views.release_all, name="release_all"),
    path("rules/", views.rules, name="rules"),
    path("questions/<int:pk>/", views.question, name="question"),
    path("<uuid:pk>/", views.visit, name="visit"),
    path("<uuid:pk>/ask/", views.ask, name="ask"),
    path("<uuid:pk>/<slug:act>/", views.decide, name="decide"),
]
