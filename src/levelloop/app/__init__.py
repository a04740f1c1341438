"""The window: the only part of the program that knows the toolkit."""

import PySide6.QtCore  # noqa: F401  # it brings the module below
from shibokensupport import feature  # type: ignore[import-not-found]

# The toolkit reads the source of every module that is imported after it, to see whether it is among those that may ask
# for other spellings of its names; that is a sixth of the time that the window takes to load. Ours never ask, and to be
# looked at changes nothing for those that never do.
if hasattr(feature, "_mod_uses_pyside"):
    feature._mod_uses_pyside = lambda module: True

from levelloop.app.guard import guard_overrides  # it would be read too

# Before any class of ours is derived from the toolkit's.
guard_overrides()
