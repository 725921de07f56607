"""Addresses of what works without a signal."""

from django.urls import path

from kessa.pages.offline import views

app_name = "offline"
urlpatterns = [
    path("", views.along_all, name="along_all"),
    path("check/<slug:key>/", views.along_check, name="along_check"),
    path("<int:place_pk>/<slug:family>/", views.along_test, name="along_test"),
    path("<int:place_pk>/", views.along, name="along"),
]
