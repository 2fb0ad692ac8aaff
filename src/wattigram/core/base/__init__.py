"""What everything stands on: errors, quantities, fields, versioned documents, late imports,
logs."""
