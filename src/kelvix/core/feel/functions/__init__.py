"""The built-in functions: those of the standard by kind, and in `added` those that are ours."""
