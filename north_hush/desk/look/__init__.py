"""How North Hush looks: colours by role, type, spacing, icons."""
