"""A test case that reads pages as a browser does: one space or many, or a new line, is one space."""

import re

from django.test import TestCase


class PageTest(TestCase):
    def assertContains(self, response, text, **how):  # noqa: N802
        response.content = re.sub(rb"\s+", b" ", response.content)
        super().assertContains(response, text, **how)

    def assertNotContains(self, response, text, **how):  # noqa: N802
        response.content = re.sub(rb"\s+", b" ", response.content)
        super().assertNotContains(response, text, **how)
