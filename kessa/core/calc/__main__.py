"""Answer standard input on standard output."""

from kessa.core.calc.lines import main

main()
