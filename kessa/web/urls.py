"""Every address of Kessa."""

from allauth.account import views as account
from allauth.mfa.base import views as second
from allauth.mfa.recovery_codes.views import generate_recovery_codes, view_recovery_codes
from allauth.mfa.totp.views import activate_totp, deactivate_totp
from allauth.usersessions.views import list_usersessions
from django.conf import settings
from django.urls import include, path

from kessa.doors.api.endpoints import api, opened
from kessa.doors.calendar import views as views_calendar
from kessa.pages.base import views
from kessa.pages.people.views import SignIn, enter_demo
from kessa.pages.phone import views as phone
from kessa.record.people.access import anyone, signed_in
from kessa.web import watching

urlpatterns = [
    path("", views.home, name="home"),
    path("not-along/", views.not_available, name="not_available"),
    path("phone/", phone.phone, name="phone"),
    path("health/", watching.health, name="health"),
    path("metrics/", watching.metrics, name="metrics"),
    path("kessa.webmanifest", views.manifest, name="manifest"),
    path("more/", views.more, name="more"),
    path("worker.js", views.worker, name="worker"),
    path("account/in/", SignIn.as_view(), name="account_login"),
    path("account/out/", anyone(account.logout), name="account_logout"),
    path("account/new/", anyone(account.signup), name="account_signup"),
    path("account/password/", signed_in(account.password_change), name="account_change_password"),
    path("account/confirm/", signed_in(account.reauthenticate), name="account_reauthenticate"),
    path("account/second/", signed_in(second.index), name="mfa_index"),
    path("account/second/code/", anyone(second.authenticate), name="mfa_authenticate"),
    path("account/second/confirm/", signed_in(second.reauthenticate), name="mfa_reauthenticate"),
    path("account/second/on/", signed_in(activate_totp), name="mfa_activate_totp"),
    path("account/second/off/", signed_in(deactivate_totp), name="mfa_deactivate_totp"),
    path("account/second/recovery/", signed_in(view_recovery_codes), name="mfa_view_recovery_codes"),
    path("account/second/recovery/new/", signed_in(generate_recovery_codes), name="mfa_generate_recovery_codes"),
    path("account/where/", signed_in(list_usersessions), name="usersessions_list"),
    path("actions/", include("kessa.pages.actions.urls")),
    path("api/", include("kessa.pages.api.urls")),
    path("api/v1/", (opened(api.urls[0]), *api.urls[1:])),
    path("bench/", include("kessa.pages.bench.urls")),
    path("log/", include("kessa.pages.log.urls")),
    path("log/", include("kessa.pages.results.urls")),
    path("log/", include("kessa.pages.quality.urls")),
    path("exchange/", include("kessa.pages.exchange.urls")),
    path("pads/", include("kessa.pages.pads.urls")),
    path("places/", include("kessa.pages.places.urls")),
    path("instruments/", include("kessa.pages.instruments.urls")),
    path("kits/", include("kessa.pages.kits.urls")),
    path("methods/", include("kessa.pages.methods.urls")),
    path("told/", include("kessa.pages.notifications.urls")),
    path("open/", include("kessa.doors.public.urls")),
    path("photographs/", include("kessa.pages.photographs.urls")),
    path("practice/", include("kessa.pages.practice.urls")),
    path("products/", include("kessa.pages.products.urls")),
    path("reports/", include("kessa.pages.reports.urls")),
    path("review/", include("kessa.pages.review.urls")),
    path("rules/", include("kessa.pages.rules.urls")),
    path("today/kessa.ics", views_calendar.calendar, name="calendar"),
    path("today/feed/<str:token>/kessa.ics", views_calendar.feed, name="calendar_feed"),
    path("taps/", include("kessa.doors.taps.urls")),
    path("today/", include("kessa.pages.today.urls")),
    path("today/", include("kessa.pages.packing.urls")),
    path("today/", include("kessa.pages.rounds.urls")),
    path("visits/along/", include("kessa.pages.offline.urls")),
    path("visits/", include("kessa.pages.visits.urls")),
    path("visits/", include("kessa.pages.conditions.urls")),
    path("visits/", include("kessa.pages.samples.urls")),
    path("team/", include("kessa.pages.people.urls")),
]
if settings.DEMO:
    urlpatterns.append(path("demo/enter/<str:username>/", enter_demo, name="enter_demo"))

handler400 = views.bad_request
handler403 = views.not_allowed
handler404 = views.not_found
handler500 = views.server_error
