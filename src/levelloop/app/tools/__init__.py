"""Tools of the pointer."""
