"""Addresses of the bench."""

from django.urls import path

from kessa.bench import views

app_name = "bench"
urlpatterns = [
    path("", views.start, name="start"),
    path("place/<int:place_pk>/", views.sample, name="sample"),
    path("sample/<int:sample_pk>/", views.method, name="method"),
    path("<int:pk>/", views.determination, name="determination"),
    path("<int:pk>/events/", views.events, name="events"),
    path("<int:pk>/on/", views.go_on, name="go_on"),
    path("<int:pk>/dilution/", views.dilution_plan, name="dilution_plan"),
    path("<int:pk>/check/", views.check, name="check"),
    path("check/<slug:key>/", views.begin_check, name="begin_check"),
    path("spike/<int:pk>/", views.spike, name="spike"),
    path("<int:pk>/further/", views.further_run, name="further_run"),
    path("<int:pk>/supersede/", views.supersede, name="supersede"),
]
