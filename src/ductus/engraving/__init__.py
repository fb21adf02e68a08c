"""From a window of the piece to SVG systems, engraved by verovio and cached by content."""
