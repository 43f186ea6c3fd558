"""The window itself: header, menus, notices, files, start, preferences. It knows a list of workspaces."""
