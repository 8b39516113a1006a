"""`python -m velpin`."""

from velpin.front.cli import main

main()
