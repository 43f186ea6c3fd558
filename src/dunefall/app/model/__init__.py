"""What the parts of the window share without widgets: context, selection, commands, workspaces."""
