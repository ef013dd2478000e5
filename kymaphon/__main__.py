"""`python -m kymaphon`."""

import sys

from kymaphon.cli import main

sys.exit(main())
