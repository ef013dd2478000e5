"""Kymaphon: a show's audio as one signal graph that can be computed, explained and put right."""

import os

__version__ = "0.1.0"

# A window must open in a moment. The matrices here are small, so a pool of linear-algebra threads only costs time to
# start; and no plug-ins are used, so there is no need to search every installed package for some.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
