"""The parts of the document as a list."""
