"""The document: a frozen ``Job`` of boards with sheet, zero, shapes, bits and cuts; its edits, history and file."""
