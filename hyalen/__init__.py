"""Hyalen: paper and poor scans into searchable, accessible PDFs and editable office files."""

__version__ = "0.1.0"
