"""From a document to a plan: the walk, one expansion per family of kinds, responses."""
