"""How what happens comes in: pushes and checks of apps into journals, changes of our records, times, requests; and how each
consumer makes its events of that, at its own place."""
