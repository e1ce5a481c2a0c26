"""Forms: what a person typed, read once for every page.

:mod:`.read` turns one field into a value or a sentence; :mod:`.form` reads a whole form
and keeps what was typed and the faults by field; :mod:`.figure` is the form of a figure.
"""
