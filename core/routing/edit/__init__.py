"""Changes of a document: actions, conversions, templates, edits with their inverse."""
