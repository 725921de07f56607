"""A test case that reads pages as a browser does: one space or many, or a new line, is one space."""

import re
import time

from django.test import TestCase


def sign_in(client, user):
    """Sign somebody in who gave a password just now: the team, keys and the account may be changed."""
    client.force_login(user)
    session = client.session
    session["account_authentication_methods"] = [{"method": "password", "at": time.time(), "reauthenticated": True}]
    session["account_authentication_methods_user"] = str(user.pk)
    session.save()


class PageTest(TestCase):
    def assertContains(self, response, text, **how):  # noqa: N802
        response.content = re.sub(rb"\s+", b" ", response.content)
        super().assertContains(response, text, **how)

    def assertNotContains(self, response, text, **how):  # noqa: N802
        response.content = re.sub(rb"\s+", b" ", response.content)
        super().assertNotContains(response, text, **how)
