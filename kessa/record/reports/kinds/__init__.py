"""The kinds of report: a module each, with a template of its name in `kessa/pages/reports`."""
