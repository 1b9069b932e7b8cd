"""The core: no interface code, no files touched on import; SI units throughout."""
