"""What the launcher does beyond Python packages: the machine, the data folder, the database server, the front
end."""
