"""What the scenarios have exercised of a form, point by point."""
