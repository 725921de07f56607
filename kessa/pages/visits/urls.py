"""Addresses of visits."""

from django.urls import path

from kessa.pages.visits import views

app_name = "visits"
urlpatterns = [
    path("begin/<int:place_pk>/", views.begin, name="begin"),
    path("sample/at/<int:place_pk>/", views.sample, name="sample"),
    path("sample/<uuid:pk>/right/", views.put_sample_right, name="put_sample_right"),
    path("<uuid:pk>/", views.visit, name="visit"),
    path("<uuid:pk>/samples/", views.without_visit, name="without_visit"),
    path("<uuid:pk>/circumstances/", views.circumstances, name="circumstances"),
    path("<uuid:pk>/circumstances/<slug:key>/right/", views.put_observation_right, name="put_observation_right"),
    path("<uuid:pk>/two/", views.tell_of_two, name="tell_of_two"),
    path("<uuid:pk>/pause/", views.pause, name="pause"),
    path("<uuid:pk>/resume/", views.resume, name="resume"),
    path("<uuid:pk>/hand-over/", views.hand_over, name="hand_over"),
    path("<uuid:pk>/close/", views.close, name="close"),
    path("labels/", views.labels, name="labels"),
    path("bottle/<slug:code>/", views.bottle, name="bottle"),
]
