"""The window. What knows nothing of Qt is loaded first: PySide reads the source of whatever comes after it."""

import deft_reach.core.session
import deft_reach.sound.playback
import deft_reach.store.autosave
import deft_reach.store.documents
import deft_reach.store.note_maps
import deft_reach.store.practice_log  # noqa: F401
from deft_reach.core.session.signals import Signal

import shiboken6  # isort: skip

# A view that Qt has deleted hears nothing more, whether or not Python has collected it.
Signal.is_deleted = staticmethod(lambda owner: not shiboken6.isValid(owner))
