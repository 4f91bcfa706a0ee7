"""Utterance -> tokens with roles, and the chart of what every stretch of it could mean, each with a cost."""
