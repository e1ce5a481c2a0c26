"""The stack and the volumes above the piston: evaluated, turned round, explained, put on a sheet."""
