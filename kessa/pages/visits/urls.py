"""Addresses of visits."""

from django.urls import path

from kessa.pages.visits import views

app_name = "visits"
urlpatterns = [
    path("begin/<int:place_pk>/", views.begin, name="begin"),
    path("<uuid:pk>/", views.visit, name="visit"),
    path("<uuid:pk>/two/", views.tell_of_two, name="tell_of_two"),
    path("<uuid:pk>/pause/", views.pause, name="pause"),
    path("<uuid:pk>/resume/", views.resume, name="resume"),
    path("<uuid:pk>/hand-over/", views.hand_over, name="hand_over"),
    path("<uuid:pk>/close/", views.close, name="close"),
]
