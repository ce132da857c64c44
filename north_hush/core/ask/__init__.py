"""Questions to footage, answered from evidence with no settings made before."""
