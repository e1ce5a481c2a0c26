"""The one page of a build and its one save: what every bench of a build shares.

A bench's routes read: ``bench = open_bench(build_id)``, ask the core, then
``render(bench, station, template, **own)`` or ``save(bench, document, says)``.
"""
