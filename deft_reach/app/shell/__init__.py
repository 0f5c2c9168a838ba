"""The window itself: header, rail, notices, menus, transport, documents, and what every station is."""
