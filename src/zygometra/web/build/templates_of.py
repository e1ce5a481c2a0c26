"""The templates of the one page of a build: a blueprint without routes of its own."""

from flask import Blueprint

build = Blueprint("build", __name__, template_folder="templates")
