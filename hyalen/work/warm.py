"""What every worker would make for its first page: made where this is loaded, so that those who are forked from there share it."""

from __future__ import annotations

from contextlib import suppress

import cv2
import numpy as np

from hyalen.core.layout import witness
from hyalen.core.learned import model
from hyalen.core.proofing.chance import fitted
from hyalen.core.reading import recogniser

cv2.cvtColor(np.zeros((1, 1, 3), np.uint8), cv2.COLOR_RGB2LAB)  # OpenCV lays out its tables
with suppress(Exception):  # whoever reads a page meets it again, and says so
    fitted()
    for package, name in ((witness.PACKAGE, witness.MODEL), (recogniser.PACKAGE, recogniser.MODEL)):
        model(package, name)
