"""The built-in functions of the standard, by kind."""
