"""Addresses of the practice bench."""

from django.urls import path

from kessa.pages.practice import views

app_name = "practice"
urlpatterns = [
    path("", views.index, name="index"),
    path("begin/", views.begin, name="begin"),
    path("people/", views.people, name="people"),
    path("people/rules/", views.rules, name="rules"),
    path("people/vouch/", views.vouch, name="vouch"),
    path("<uuid:pk>/", views.go, name="go"),
    path("<uuid:pk>/bench/", views.bench, name="bench"),
    path("<uuid:pk>/outcome/", views.outcome, name="outcome"),
    path("<uuid:pk>/told/", views.scored, name="scored"),
    path("<uuid:pk>/remark/", views.remark, name="remark"),
]
