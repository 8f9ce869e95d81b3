"""Static files with hashed names, module imports included."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedStorage(CompressedManifestStaticFilesStorage):
    """Hashes names and rewrites the relative imports of ES modules."""

    support_js_module_import_aggregation = True
