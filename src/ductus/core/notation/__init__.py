"""Written notes to what stands on the page: a pure function, never stored."""
