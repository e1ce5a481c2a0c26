"""Pages: one package a bench, with its routes, its view model and its templates."""
