"""Everything that holds items behind one port: databases of ours here, for now."""
