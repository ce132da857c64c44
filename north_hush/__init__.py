"""North Hush: tune motion detection for fixed cameras against recorded footage."""

__version__ = "0.1.0"
