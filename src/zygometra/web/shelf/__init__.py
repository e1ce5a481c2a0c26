"""The parts shelf: lists, parts, tables in and out, rules of fit."""
