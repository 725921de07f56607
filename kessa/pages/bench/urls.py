"""Addresses of the bench."""

from django.urls import path

from kessa.pages.bench import views

app_name = "bench"
urlpatterns = [
    path("", views.start, name="start"),
    path("sample/<uuid:sample_pk>/", views.method, name="method"),
    path("visit/<uuid:pk>/", views.board, name="board"),
    path("visit/<uuid:pk>/lanes/", views.board_lanes, name="board_lanes"),
    path("<uuid:pk>/", views.determination, name="determination"),
    path("<uuid:pk>/outcome/", views.outcome, name="outcome"),
    path("<uuid:pk>/dilution/", views.dilution_plan, name="dilution_plan"),
    path("check/<slug:key>/", views.begin_check, name="begin_check"),
    path("spike/<int:pk>/", views.spike, name="spike"),
]
