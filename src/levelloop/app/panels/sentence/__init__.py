"""The sentence bar: what runs, as a sentence whose numbers can be typed."""
