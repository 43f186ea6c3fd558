"""Commands that edit the patch from any workspace, and the dialogs in which they ask."""
