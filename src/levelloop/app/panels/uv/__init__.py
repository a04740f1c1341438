"""The UV view: islands lying flat, picked and moved by hand."""
