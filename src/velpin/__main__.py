"""`python -m velpin`."""

from velpin.front.start import main

main()
