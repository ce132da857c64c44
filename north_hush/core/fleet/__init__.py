"""Work over many recordings of many sites, as tasks on this machine or beyond."""
