// Written by `manage.py write_page_rules` from kessa/core/quantities/quantity.py; a test holds it to that.

export const FIGURES = {"most": 4, "alone": 3, "alone below 1": 2, "one more below": 2, "decimals": 6};
