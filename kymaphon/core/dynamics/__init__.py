"""Gates, low cut, compressor, limiter, ducker and equaliser: exact models, and settings found from recordings."""
