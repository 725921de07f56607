"""Addresses of the rules."""

from django.urls import path

from kessa.pages.rules import views, views_editor

app_name = "rules"
urlpatterns = [
    path("", views.index, name="index"),
    path("house/", views.choose, name="choose"),
    path("sets/begin/", views_editor.begin, name="begin"),
    path("sets/take-in/", views_editor.take_in, name="take_in"),
    path("sets/<int:pk>/", views_editor.draft, name="draft"),
    path("sets/<int:pk>/limit/", views_editor.limit, name="add_limit"),
    path("sets/<int:pk>/limit/<int:n>/", views_editor.limit, name="limit"),
    path("sets/<int:pk>/check/", views_editor.check, name="check"),
    path("sets/<int:pk>/throw-away/", views_editor.throw_away, name="throw_away"),
    path("sets/<slug:key>/begin/", views_editor.begin, name="begin_from"),
    path("sets/<slug:key>/retire/", views_editor.retire, name="retire"),
    path("sets/<slug:key>/file/", views_editor.export, name="export"),
]
