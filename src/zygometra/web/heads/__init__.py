"""The bench of heads and chambers: faces swept free and clamped, chambers filled and brought to match."""
