"""The demo scene, Teasel Fen, as documents and code."""
