"""``python -m paddock_agent``, where the command is not on the path."""

from .cli import main

if __name__ == "__main__":
    raise SystemExit(main())
