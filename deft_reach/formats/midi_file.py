"""Standard MIDI Files of any origin, opened by the library that knows them, its complaints in plain words."""

from __future__ import annotations

import io
from typing import Any, Final

from deft_reach.formats.reading import DocumentError

#: Larger files are refused unread: 10,000 notes take some 100,000 bytes.
MAX_BYTES: Final = 1_500_000


def open_midi(data: bytes) -> Any:
    """The file as mido has it; its ``clip`` says that numbers no MIDI file can hold were cut to 127.

    Raises DocumentError for what is none, is damaged, too large, or counts no beats.
    """
    import mido

    if len(data) > MAX_BYTES:
        raise DocumentError(f"the file has {len(data):,} bytes; at most {MAX_BYTES:,} are read")
    if not data.startswith(b"MThd"):
        raise DocumentError("this is no MIDI file: it does not begin with MThd")
    charset, clip = "utf-8", False
    while True:
        try:
            file = mido.MidiFile(file=io.BytesIO(data), charset=charset, clip=clip)
            break
        except UnicodeDecodeError:
            charset = "latin-1"
        except Exception as error:  # the library raises whatever it stumbles over
            if clip or "data byte" not in str(error):
                raise DocumentError(f"the MIDI file is broken: {_reason(error)}") from None
            clip = True
    if not 1 <= file.ticks_per_beat <= 32_767:
        raise DocumentError("the file counts in film frames, not in beats; export it with ticks per beat")
    return file


def _reason(error: Exception) -> str:
    words = str(error).strip()
    return words[:120] if words and words.isprintable() else "it ends in the middle of something"
