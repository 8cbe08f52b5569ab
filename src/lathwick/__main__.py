"""`python -m lathwick`."""

from .cli.main import main

main()
