"""Commands: what menus, keys and the search do."""
