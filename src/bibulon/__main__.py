"""Run the command line: ``python -m bibulon``."""

from bibulon.cli.main import main

raise SystemExit(main())
