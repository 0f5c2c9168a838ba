"""``python -m deft_reach`` is the same as the ``deft-reach`` command."""

import sys

from deft_reach.cli.main import main

sys.exit(main())
