"""The work of one browser at a desk: messages in, facts out.

Read ``session`` first, then ``page_editor`` (its edits of the page). ``seat`` keeps its place on disk;
``neighbours`` tells it of what others change.
"""
