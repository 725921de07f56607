"""The science and the rules of testing water with kits: plain Python, no Django, no I/O but its own data files."""
