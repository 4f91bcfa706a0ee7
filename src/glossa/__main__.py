"""``python -m glossa``."""

from glossa.cli.main import main

main()
