"""All computation. No interface, no files but the package's own data, no clock."""
