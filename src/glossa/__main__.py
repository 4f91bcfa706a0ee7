"""``glossa`` and ``python -m glossa``."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the command line; an interrupt ends it quietly, also while it is still loading."""
    try:
        from glossa.cli.main import main as run

        run()
    except KeyboardInterrupt:
        sys.stderr.write("\n")
        sys.exit(130)


if __name__ == "__main__":
    main()
