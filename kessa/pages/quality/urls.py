"""Addresses of checks and control charts."""

from django.urls import path

from kessa.pages.quality import charts, views

app_name = "quality"
urlpatterns = [
    path("charts/", charts.charts, name="charts"),
    path("charts/spread/", charts.spread, name="spread"),
    path("of/<uuid:pk>/check/", views.check, name="check"),
    path("of/<uuid:pk>/check/withdraw/", views.withdraw_check, name="withdraw_check"),
]
