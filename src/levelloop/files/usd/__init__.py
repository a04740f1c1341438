"""OpenUSD stages."""
