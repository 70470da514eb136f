-- What services gave for what they were sent: asked once for each content.
CREATE TABLE service_value (
    service TEXT COLLATE "C" NOT NULL,
    content BYTEA NOT NULL,
    value TEXT NOT NULL,
    asked BIGINT NOT NULL,
    PRIMARY KEY (service, content)
);

-- How often each was asked on a day (UTC).
CREATE TABLE service_day (
    service TEXT COLLATE "C" NOT NULL,
    day TEXT COLLATE "C" NOT NULL,
    asked BIGINT NOT NULL,
    PRIMARY KEY (service, day)
);
