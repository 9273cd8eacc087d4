"""Mirrors over time: what changed on one side crosses to the other. What is to be done is computed in core/mirror."""
