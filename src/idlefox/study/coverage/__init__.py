"""Coverage: the points of a form that the scenarios reach."""
