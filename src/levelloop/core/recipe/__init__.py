"""How the steps of a recipe run one after the other."""
