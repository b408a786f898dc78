"""Attacks on the program, family by family: what must not happen is tried on purpose, and what falls is named."""
