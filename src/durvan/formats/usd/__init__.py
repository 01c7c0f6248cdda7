"""OpenUSD stages, in and out: `durvan.formats.usd.port` is what the table of formats names."""
