"""Colours as numbers: from a screen's or a camera's to Lab, how far two lie apart, where one stands on a card."""
