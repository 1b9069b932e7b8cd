"""Run the command line: ``python -m bibulon``."""

from bibulon.cli import main

raise SystemExit(main())
