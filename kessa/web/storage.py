"""Static files named by their content, scripts that import one another included."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class Storage(CompressedManifestStaticFilesStorage):
    """Names what a script imports by content too: an old page meets no new module, and none is loaded twice."""

    support_js_module_import_aggregation = True
