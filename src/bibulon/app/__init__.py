"""The desktop application."""

# Before Qt, whose binding looks at every import that follows it.
import bibulon.core.library.demo
import bibulon.core.outlook.outlook  # noqa: F401
from bibulon.app.work.unread import leave_unread

leave_unread()
