"""Garland: baked motion, retimed and strung over copies, each with its own time. See docs/python.md."""

from ._core import Error, Project, new, open, outputs, verify

__all__ = ["Error", "Project", "new", "open", "outputs", "verify"]
