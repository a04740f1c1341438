"""The still: a path-traced picture of a document, rendered in a process of its own."""
