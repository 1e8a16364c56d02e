"""Tables written as files: delimited text, columns, workbooks, documents, databases; new, added to, or put into a form."""
