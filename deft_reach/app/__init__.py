"""The window. What knows nothing of Qt is loaded first: PySide reads the source of whatever comes after it."""

import deft_reach.core.session
import deft_reach.sound.playback
import deft_reach.store.autosave
import deft_reach.store.documents
import deft_reach.store.note_maps
import deft_reach.store.practice_log  # noqa: F401
