"""Charts as HTML and inline SVG, as wide as the reader's screen: text keeps its size, colours follow the page."""
