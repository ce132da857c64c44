"""The document: a site, its camera views, what is drawn on them and how they are tuned."""
