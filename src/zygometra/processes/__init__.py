"""Work in processes of its own: begun for somebody, within a budget, ended with whoever asked for it.

A page's thread hands a task over and asks what came of it; it never reckons for long itself.
"""
