"""Hyalen: paper and poor scans into searchable, accessible PDFs and editable office files."""

import os

__version__ = "0.1.0"

# One thread a process: pages, not lines of text or rows of numbers, run side by side. Both count only for what is
# loaded after this.
os.environ.setdefault("OMP_THREAD_LIMIT", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
