"""Addresses of visits."""

from django.urls import path

from kessa.visits import views

app_name = "visits"
urlpatterns = [
    path("begin/<int:place_pk>/", views.begin, name="begin"),
    path("<int:pk>/", views.visit, name="visit"),
    path("<int:pk>/circumstances/", views.circumstances, name="circumstances"),
    path("<int:pk>/observations/", views.observations, name="observations"),
    path("<int:pk>/pause/", views.pause, name="pause"),
    path("<int:pk>/resume/", views.resume, name="resume"),
    path("<int:pk>/hand-over/", views.hand_over, name="hand_over"),
    path("<int:pk>/close/", views.close, name="close"),
    path("labels/", views.labels, name="labels"),
    path("bottle/<str:code>/", views.bottle, name="bottle"),
]
