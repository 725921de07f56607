"""Addresses of reports."""

from django.urls import path

from kessa.pages.reports import views

app_name = "reports"
urlpatterns = [
    path("", views.index, name="index"),
    path("make/<slug:kind>/", views.preview, name="preview"),
    path("issue/<slug:kind>/", views.issue, name="issue"),
    path("<int:number>/", views.report, name="report"),
    path("<int:number>/kessa-report.pdf", views.pdf, name="pdf"),
]
