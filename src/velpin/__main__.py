"""`python -m velpin`."""

import os
import sys

_HERE = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
if sys.path and os.path.abspath(sys.path[0] or os.curdir) != _HERE and not sys.flags.safe_path:
    del sys.path[0]  # `-m` puts the current folder there: whoever wrote it could be loaded

from velpin.front.start import main  # noqa: E402

main()
