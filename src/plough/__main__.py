"""``python -m plough``."""

from plough.cli import main

main()
