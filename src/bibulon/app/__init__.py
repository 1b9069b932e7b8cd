"""The desktop application."""

# Before Qt: its binding reads through the source of every module that is imported after it.
import bibulon.core.library.demo
import bibulon.core.outlook.outlook  # noqa: F401
