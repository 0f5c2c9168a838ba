"""XML of any origin as a tree: no entities, no outside files, and no more of it than memory holds easily."""

from __future__ import annotations

from typing import Any, Final
from xml.etree import ElementTree as Tree

from deft_reach.formats.reading import DocumentError

#: A score of eight megabytes has some three hundred thousand elements, and nests them ten deep.
MAX_ELEMENTS: Final = 400_000
MAX_DEPTH: Final = 64


class _Bounded(Tree.TreeBuilder):
    """Builds a tree and stops where it grows too large."""

    def __init__(self) -> None:
        super().__init__()
        self.count = self.depth = 0

    def start(self, tag: Any, attrs: Any, /) -> Tree.Element:
        self.count += 1
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise DocumentError(f"the XML is nested more than {MAX_DEPTH} deep, which no score is")
        if self.count > MAX_ELEMENTS:
            raise DocumentError(f"the XML has more than {MAX_ELEMENTS:,} elements")
        return super().start(tag, attrs)

    def end(self, tag: str, /) -> Tree.Element:
        self.depth -= 1
        return super().end(tag)


def parse_xml(data: bytes) -> Tree.Element:
    """The root of a document. Raises DocumentError, with the place where it is not well-formed."""
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import DefusedXMLParser

    parser = DefusedXMLParser(target=_Bounded(), forbid_dtd=False, forbid_entities=True, forbid_external=True)
    try:
        parser.feed(data)
        root: Tree.Element = parser.close()
    except DocumentError:
        raise
    except Tree.ParseError as error:
        line, column = error.position
        raise DocumentError("this is no well-formed XML", line=line, column=column + 1) from None
    except DefusedXmlException:
        raise DocumentError("the XML declares entities, which a score does not need; it is refused") from None
    except (ValueError, LookupError) as error:
        raise DocumentError(f"this is no XML that can be read: {error}"[:300]) from None
    return root
