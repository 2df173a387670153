"""The HTTP interface."""
