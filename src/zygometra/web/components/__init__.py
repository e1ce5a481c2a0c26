"""The components that every page is put together from, as macros; ``/patterns`` shows each in every state."""

from flask import Blueprint

# Only its templates are used.
components = Blueprint("components", __name__, template_folder="templates")
