"""Building the demo document from its scripts."""

from __future__ import annotations

import json
from dataclasses import replace
from importlib.resources import files

from levelloop.document.document import Document
from levelloop.document.script import run_script
from levelloop.document.session import Session

SCRIPTS = ("honey_jar", "hive_bracket")


def demo_document() -> Document:
    """The beekeeper's workshop so far: a honey jar, and a hive bracket with faults for the review to find."""
    session = Session.new()
    for name in SCRIPTS:
        text = files("levelloop.demo").joinpath(f"{name}.json").read_text(encoding="utf-8")
        run_script(session, json.loads(text))
    document = session.document
    return replace(document, active=document.parts[0].id)
