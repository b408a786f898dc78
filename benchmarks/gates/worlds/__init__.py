"""Machines whose truth is known: the shipped stand-in and odd plants that were written apart from it."""
