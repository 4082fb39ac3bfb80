"""What people take along: tables for the terminal, the work sheet, pictures, the script, tables of disks."""
