"""UV: seams to islands, islands flattened, projected, straightened and packed."""
