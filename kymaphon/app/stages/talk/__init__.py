"""The stage Talk: circuits, the order of work, the desk, positions, lines, circuits tried by voice."""
