-- What services gave for what they were sent: asked once for each content.
CREATE TABLE service_value (
    service TEXT NOT NULL,
    content BLOB NOT NULL, -- the fingerprint of what was asked, and how
    value TEXT NOT NULL, -- as values are stored
    asked INTEGER NOT NULL,
    PRIMARY KEY (service, content)
) STRICT, WITHOUT ROWID;

-- How often each was asked on a day (UTC).
CREATE TABLE service_day (
    service TEXT NOT NULL,
    day TEXT NOT NULL,
    asked INTEGER NOT NULL,
    PRIMARY KEY (service, day)
) STRICT, WITHOUT ROWID;
