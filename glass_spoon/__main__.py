"""Run the command line: `python -m glass_spoon`.

The collector rests while the modules load: what they hold stays until the end, and looking through it over and over costs a
tenth of the start and more.
"""

import gc
import sys

gc.disable()

from glass_spoon.command import main  # noqa: E402 - the collector must rest before anything loads

gc.freeze()
gc.enable()

if __name__ == "__main__":
    sys.exit(main())
