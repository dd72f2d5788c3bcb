"""`python -m vetrina`."""

from vetrina.commands.main import main

main()
