"""Addresses of the log."""

from django.urls import path

from kessa.pages.log import views, views_charts, views_right

app_name = "log"
urlpatterns = [
    path("", views.index, name="index"),
    path("more-filters/", views.more_filters, name="more_filters"),
    path("kessa-log.csv", views.export, name="export"),
    path("charts/", views_charts.charts, name="charts"),
    path("charts/spread/", views_charts.spread, name="spread"),
    path("<int:pk>/", views.result, name="result"),
    path("<int:pk>/aside/", views_right.set_aside, name="set_aside"),
    path("<int:pk>/back/", views_right.bring_back, name="bring_back"),
    path("<int:pk>/stand-by/<slug:flag>/", views_right.stand_by, name="stand_by"),
    path("<int:pk>/run/<int:run>/right/", views_right.put_reading_right, name="put_reading_right"),
    path("<int:pk>/answer/<slug:key>/right/", views_right.put_answer_right, name="put_answer_right"),
    path("of/<uuid:pk>/", views.determination, name="determination"),
    path("of/<uuid:pk>/taps/", views.taps, name="taps"),
    path("of/<uuid:pk>/on/", views_right.go_on, name="go_on"),
    path("of/<uuid:pk>/further/", views_right.further_run, name="further_run"),
    path("of/<uuid:pk>/repeat/", views_right.repeat, name="repeat"),
    path("of/<uuid:pk>/check/", views.check, name="check"),
    path("of/<uuid:pk>/check/withdraw/", views_right.withdraw_check, name="withdraw_check"),
]
