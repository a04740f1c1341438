"""The demo: props for a puppet film about a beekeeper's workshop, each built by a script of operations."""
