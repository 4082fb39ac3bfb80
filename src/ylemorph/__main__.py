"""``python -m ylemorph``, and what the command starts with: an interrupt while it still imports is no traceback."""

import sys


def run() -> int:
    try:
        from .cli import main

        return main()
    except KeyboardInterrupt:
        print("ylemorph: stopped", file=sys.stderr)
        return 130


if __name__ == "__main__":
    sys.exit(run())
