-- The store on a PostgreSQL server, as the migrations of the file had made it by their 22nd. What each table is for is
-- said there.

-- The number of a new row. Changes follow each other, so that the newest number is the greatest; a change that is taken
-- back, and done again, gives the same.
CREATE TABLE number_given (
    what TEXT COLLATE "C" PRIMARY KEY,
    last BIGINT NOT NULL
);
INSERT INTO number_given VALUES ('hook_event', 0), ('happening', 0), ('outbox', 0);
CREATE FUNCTION next_number(wanted TEXT) RETURNS BIGINT LANGUAGE plpgsql VOLATILE AS $body$
DECLARE given BIGINT;
BEGIN
    CASE wanted
        WHEN 'entry_type' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM entry_type;
        WHEN 'entry' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM entry;
        WHEN 'joined' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM joined;
        WHEN 'part' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM part;
        WHEN 'lane' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM lane;
        WHEN 'run' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM run;
        WHEN 'intent' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM intent;
        WHEN 'dictionary' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM dictionary;
        WHEN 'batch' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM batch;
        WHEN 'batch_text' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM batch_text;
        WHEN 'checkpoint' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM checkpoint;
        WHEN 'alert' THEN SELECT coalesce(max(number), 0) + 1 INTO given FROM alert;
        WHEN 'occurrence' THEN SELECT coalesce(max(number), 0) + 1 INTO given FROM occurrence;
        WHEN 'slate' THEN SELECT coalesce(max(id), 0) + 1 INTO given FROM slate;
        -- Of these no number comes twice, whatever is taken out.
        ELSE UPDATE number_given SET last = last + 1 WHERE what = wanted RETURNING last INTO given;
    END CASE;
    RETURN given;
END $body$;

-- What tells this hub from every other, on whatever machine it works.
CREATE TABLE hub (
    id BIGINT PRIMARY KEY CHECK (id = 1),
    identity TEXT COLLATE "C" NOT NULL
);

-- Functions that the file's database has.
CREATE FUNCTION hex(BYTEA) RETURNS TEXT LANGUAGE sql IMMUTABLE AS $body$ SELECT upper(encode($1, 'hex')) $body$;
CREATE FUNCTION instr(TEXT, TEXT) RETURNS INTEGER LANGUAGE sql IMMUTABLE AS $body$ SELECT strpos($1, $2) $body$;
CREATE FUNCTION json_quote(TEXT) RETURNS TEXT LANGUAGE sql IMMUTABLE AS $body$
    SELECT coalesce(to_json($1)::TEXT, 'null')
$body$;
CREATE FUNCTION json_quote(BIGINT) RETURNS TEXT LANGUAGE sql IMMUTABLE AS $body$ SELECT coalesce($1::TEXT, 'null') $body$;
-- The server has no text with the character zero in it.
CREATE FUNCTION json_of(TEXT) RETURNS JSON LANGUAGE sql IMMUTABLE AS $body$
    SELECT replace($1, '\u0000', '\ufffd')::JSON
$body$;
CREATE FUNCTION json_plain(JSON) RETURNS TEXT LANGUAGE sql IMMUTABLE AS $body$
    SELECT CASE json_typeof($1) WHEN 'null' THEN NULL WHEN 'string' THEN $1 #>> '{}' ELSE $1::TEXT END
$body$;
CREATE FUNCTION json_extract(TEXT, TEXT) RETURNS TEXT LANGUAGE sql IMMUTABLE AS $body$
    SELECT json_plain(json_of($1) -> substr($2, 3))
$body$;
CREATE FUNCTION json_each(list TEXT) RETURNS TABLE (key TEXT, value TEXT) LANGUAGE plpgsql IMMUTABLE ROWS 10 AS $body$
BEGIN
    IF left(list, 1) = '[' THEN
        RETURN QUERY SELECT (item.place - 1)::TEXT, json_plain(item.of)
            FROM json_array_elements(json_of(list)) WITH ORDINALITY AS item (of, place);
    ELSIF list IS NOT NULL THEN
        RETURN QUERY SELECT member.name, json_plain(member.of) FROM pg_catalog.json_each(json_of(list)) AS member (name, of);
    END IF;
END $body$;

CREATE TABLE entry_type (
    id BIGINT PRIMARY KEY DEFAULT next_number('entry_type'),
    system TEXT COLLATE "C" NOT NULL,
    name TEXT COLLATE "C" NOT NULL,
    UNIQUE (system, name)
);
CREATE TABLE entry (
    id BIGINT PRIMARY KEY DEFAULT next_number('entry'),
    type BIGINT NOT NULL REFERENCES entry_type (id),
    source_id TEXT COLLATE "C" NOT NULL,
    state TEXT COLLATE "C" NOT NULL,
    revision TEXT COLLATE "C",
    fingerprint BYTEA NOT NULL,
    version BIGINT NOT NULL,
    first_seen BIGINT NOT NULL, -- milliseconds since 1970, UTC, as all times here
    changed BIGINT NOT NULL,
    UNIQUE (type, source_id)
);
CREATE TABLE refers (
    entry BIGINT NOT NULL REFERENCES entry (id),
    target TEXT COLLATE "C" NOT NULL,
    PRIMARY KEY (entry, target)
);
CREATE INDEX refers_target ON refers (target);
CREATE TABLE page_mark (
    type BIGINT NOT NULL REFERENCES entry_type (id),
    place TEXT COLLATE "C" NOT NULL,
    etag TEXT COLLATE "C",
    last_modified TEXT COLLATE "C",
    content BYTEA NOT NULL,
    next TEXT COLLATE "C",
    seen BYTEA NOT NULL,
    used BIGINT NOT NULL,
    items BIGINT,
    total BIGINT,
    pages BIGINT,
    PRIMARY KEY (type, place)
);
CREATE TABLE joined (
    id BIGINT PRIMARY KEY DEFAULT next_number('joined'),
    type BIGINT NOT NULL REFERENCES entry_type (id),
    source_id TEXT COLLATE "C" NOT NULL,
    touched BIGINT NOT NULL DEFAULT 1, -- a language changed, and the entry is not yet put together anew
    UNIQUE (type, source_id)
);
CREATE INDEX joined_touched ON joined (type, id) WHERE touched <> 0;
CREATE TABLE part (
    id BIGINT PRIMARY KEY DEFAULT next_number('part'),
    joined BIGINT NOT NULL REFERENCES joined (id),
    language TEXT COLLATE "C" NOT NULL,
    state TEXT COLLATE "C" NOT NULL,
    revision TEXT COLLATE "C",
    fingerprint BYTEA NOT NULL,
    content TEXT COLLATE "C" NOT NULL,
    UNIQUE (joined, language)
);
CREATE TABLE pull_state (
    type BIGINT PRIMARY KEY REFERENCES entry_type (id),
    newest TEXT COLLATE "C",
    cursor TEXT COLLATE "C",
    reading TEXT COLLATE "C",
    seen BYTEA,
    began BIGINT,
    whole_at BIGINT
);
CREATE TABLE lane (
    id BIGINT PRIMARY KEY DEFAULT next_number('lane'),
    name TEXT COLLATE "C" NOT NULL UNIQUE,
    from_type BIGINT NOT NULL REFERENCES entry_type (id),
    to_type BIGINT NOT NULL REFERENCES entry_type (id),
    definition BYTEA NOT NULL,
    key_field TEXT COLLATE "C"
);
CREATE TABLE delivery (
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    standing TEXT COLLATE "C" NOT NULL,
    reason TEXT COLLATE "C",
    message TEXT COLLATE "C",
    since BIGINT NOT NULL,
    touched BIGINT NOT NULL DEFAULT 0,
    PRIMARY KEY (lane, entry)
);
CREATE INDEX delivery_due ON delivery (lane, entry) WHERE standing IN ('owed', 'held', 'failed');
CREATE INDEX delivery_held ON delivery (standing) WHERE standing IN ('held', 'failed');
CREATE INDEX delivery_entry ON delivery (entry);
CREATE TABLE delivery_count (
    lane BIGINT NOT NULL,
    standing TEXT COLLATE "C" NOT NULL,
    entries BIGINT NOT NULL,
    PRIMARY KEY (lane, standing)
);
CREATE TABLE reading (
    type BIGINT NOT NULL REFERENCES entry_type (id),
    source_id TEXT COLLATE "C" NOT NULL,
    lane BIGINT NOT NULL,
    entry BIGINT NOT NULL,
    PRIMARY KEY (type, source_id, lane, entry)
);
CREATE INDEX reading_by ON reading (lane, entry);
CREATE TABLE counterpart (
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    language TEXT COLLATE "C" NOT NULL, -- empty where the destination has one document for all
    id TEXT COLLATE "C" NOT NULL,
    item TEXT COLLATE "C",
    revision TEXT COLLATE "C",
    fingerprint BYTEA NOT NULL,
    fields TEXT COLLATE "C" NOT NULL,
    presence TEXT COLLATE "C" NOT NULL,
    delivered BIGINT NOT NULL,
    apart TEXT COLLATE "C",
    past BYTEA,
    key TEXT COLLATE "C",
    PRIMARY KEY (lane, entry, language)
);
CREATE INDEX counterpart_id ON counterpart (id);
CREATE TABLE run (
    id BIGINT PRIMARY KEY DEFAULT next_number('run'),
    command TEXT COLLATE "C" NOT NULL,
    started BIGINT NOT NULL,
    ended BIGINT,
    summary TEXT COLLATE "C",
    who TEXT COLLATE "C" NOT NULL DEFAULT '',
    changed TEXT COLLATE "C",
    told BIGINT NOT NULL DEFAULT 0
);
CREATE TABLE intent (
    id BIGINT PRIMARY KEY DEFAULT next_number('intent'),
    run BIGINT NOT NULL REFERENCES run (id),
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    language TEXT COLLATE "C" NOT NULL,
    action TEXT COLLATE "C" NOT NULL,
    request TEXT COLLATE "C" NOT NULL, -- method and address, without secrets
    id_there TEXT COLLATE "C",
    base_revision TEXT COLLATE "C",
    fingerprint BYTEA NOT NULL,
    fields TEXT COLLATE "C" NOT NULL,
    at BIGINT NOT NULL,
    item TEXT COLLATE "C",
    link BIGINT,
    before BYTEA,
    hash BYTEA,
    was TEXT COLLATE "C"
);
CREATE INDEX intent_entry ON intent (entry);
CREATE TABLE outcome (
    intent BIGINT PRIMARY KEY REFERENCES intent (id),
    result TEXT COLLATE "C" NOT NULL,
    status BIGINT,
    id_there TEXT COLLATE "C",
    revision TEXT COLLATE "C",
    message TEXT COLLATE "C",
    at BIGINT NOT NULL,
    link BIGINT,
    before BYTEA,
    hash BYTEA
);
CREATE TABLE open_intent (
    intent BIGINT PRIMARY KEY REFERENCES intent (id),
    lane BIGINT NOT NULL,
    entry BIGINT NOT NULL
);
CREATE INDEX open_intent_entry ON open_intent (lane, entry);
CREATE TABLE dictionary (
    id BIGINT PRIMARY KEY DEFAULT next_number('dictionary'),
    type BIGINT NOT NULL UNIQUE REFERENCES entry_type (id),
    bytes BYTEA NOT NULL
);
CREATE TABLE version (
    entry BIGINT NOT NULL REFERENCES entry (id),
    number BIGINT NOT NULL,
    at BIGINT NOT NULL,
    state TEXT COLLATE "C" NOT NULL,
    revision TEXT COLLATE "C",
    fingerprint BYTEA NOT NULL,
    content BYTEA NOT NULL,
    packing BIGINT,
    PRIMARY KEY (entry, number)
);
CREATE INDEX version_at ON version (at);
CREATE TABLE taken_off (
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    since BIGINT NOT NULL,
    PRIMARY KEY (lane, entry)
);
CREATE TABLE asset (
    system TEXT COLLATE "C" NOT NULL,
    hash TEXT COLLATE "C" NOT NULL,
    id_there TEXT COLLATE "C" NOT NULL,
    at BIGINT NOT NULL,
    PRIMARY KEY (system, hash)
);
CREATE TABLE asset_address (
    url TEXT COLLATE "C" PRIMARY KEY,
    hash TEXT COLLATE "C" NOT NULL
);
CREATE TABLE batch (
    id BIGINT PRIMARY KEY DEFAULT next_number('batch'),
    name TEXT COLLATE "C" NOT NULL UNIQUE,
    brief TEXT COLLATE "C" NOT NULL,
    source_language TEXT COLLATE "C" NOT NULL,
    languages TEXT COLLATE "C" NOT NULL, -- a JSON list
    standing TEXT COLLATE "C" NOT NULL,
    made BIGINT NOT NULL,
    due BIGINT,
    sent BIGINT,
    ended BIGINT,
    order_there TEXT COLLATE "C",
    files_there TEXT COLLATE "C" NOT NULL DEFAULT '{}' -- what the agency calls the file of each language, as JSON
);
CREATE TABLE batch_text (
    id BIGINT PRIMARY KEY DEFAULT next_number('batch_text'),
    batch BIGINT NOT NULL REFERENCES batch (id),
    unit TEXT COLLATE "C" NOT NULL,
    entry BIGINT NOT NULL REFERENCES entry (id),
    version BIGINT NOT NULL,
    field TEXT COLLATE "C" NOT NULL,
    block BIGINT NOT NULL,
    source TEXT COLLATE "C" NOT NULL,
    content TEXT COLLATE "C" NOT NULL,
    words BIGINT NOT NULL,
    UNIQUE (batch, unit)
);
CREATE INDEX batch_text_entry ON batch_text (entry);
-- Texts have any length, which an index that is ordered does not take.
CREATE INDEX batch_text_source ON batch_text USING hash (source);
CREATE TABLE batch_unit (
    text BIGINT NOT NULL REFERENCES batch_text (id),
    language TEXT COLLATE "C" NOT NULL,
    origin TEXT COLLATE "C" NOT NULL,
    earlier TEXT COLLATE "C",
    standing TEXT COLLATE "C" NOT NULL,
    target TEXT COLLATE "C",
    reasons TEXT COLLATE "C",
    at BIGINT NOT NULL,
    PRIMARY KEY (text, language)
);
CREATE TABLE batch_return (
    batch BIGINT NOT NULL REFERENCES batch (id),
    hash BYTEA NOT NULL,
    name TEXT COLLATE "C" NOT NULL,
    at BIGINT NOT NULL,
    PRIMARY KEY (batch, hash)
);
CREATE TABLE memory (
    source_language TEXT COLLATE "C" NOT NULL,
    target_language TEXT COLLATE "C" NOT NULL,
    hash BYTEA NOT NULL,
    place TEXT COLLATE "C" NOT NULL,
    source TEXT COLLATE "C" NOT NULL,
    target TEXT COLLATE "C" NOT NULL,
    origin TEXT COLLATE "C" NOT NULL,
    at BIGINT NOT NULL,
    PRIMARY KEY (source_language, target_language, hash, place)
);
CREATE INDEX memory_newest ON memory (source_language, target_language, hash, at);
CREATE TABLE translation (
    entry BIGINT NOT NULL REFERENCES entry (id),
    field TEXT COLLATE "C" NOT NULL,
    language TEXT COLLATE "C" NOT NULL,
    value TEXT COLLATE "C" NOT NULL,
    source BYTEA NOT NULL, -- the fingerprint of the text that it is of
    replaced TEXT COLLATE "C",        -- what the source system had then, where it had anything
    batch BIGINT NOT NULL REFERENCES batch (id),
    is_pseudo BIGINT NOT NULL,
    is_shown BIGINT NOT NULL, -- whether lanes read it before the source system gives it back
    standing TEXT COLLATE "C" NOT NULL,
    at BIGINT NOT NULL,
    PRIMARY KEY (entry, field, language)
);
CREATE INDEX translation_batch ON translation (batch);
CREATE TABLE destination (
    system TEXT COLLATE "C" PRIMARY KEY,
    place TEXT COLLATE "C" NOT NULL
);
CREATE INDEX counterpart_key ON counterpart USING hash (key) WHERE key IS NOT NULL;
CREATE TABLE checkpoint (
    id BIGINT PRIMARY KEY DEFAULT next_number('checkpoint'),
    who TEXT COLLATE "C" NOT NULL,
    at BIGINT NOT NULL,
    first BIGINT NOT NULL,
    last BIGINT NOT NULL,
    first_before BYTEA NOT NULL,
    last_hash BYTEA NOT NULL,
    link BIGINT,
    before BYTEA,
    hash BYTEA
);
CREATE TABLE chain_head (
    id BIGINT PRIMARY KEY CHECK (id = 1),
    link BIGINT NOT NULL,
    hash BYTEA NOT NULL
);
CREATE TABLE document (
    type BIGINT NOT NULL REFERENCES entry_type (id),
    place TEXT COLLATE "C" NOT NULL,
    moved TEXT COLLATE "C",
    not_before BIGINT,
    ended BIGINT,
    PRIMARY KEY (type, place)
);
CREATE TABLE lease (
    what TEXT COLLATE "C" PRIMARY KEY,
    process TEXT COLLATE "C" NOT NULL,
    who TEXT COLLATE "C" NOT NULL,
    doing TEXT COLLATE "C" NOT NULL,
    since BIGINT NOT NULL,
    ends BIGINT NOT NULL
);
CREATE TABLE work (
    what TEXT COLLATE "C" PRIMARY KEY,
    began BIGINT NOT NULL,
    ended BIGINT NOT NULL,
    problem TEXT COLLATE "C", -- the first, where there was one
    well BIGINT, -- when it last ended without one
    failures BIGINT NOT NULL, -- how many in a row ended with one
    asks BIGINT NOT NULL DEFAULT 0
);
CREATE TABLE pause (
    what TEXT COLLATE "C" PRIMARY KEY,
    who TEXT COLLATE "C" NOT NULL,
    why TEXT COLLATE "C" NOT NULL,
    since BIGINT NOT NULL,
    until BIGINT
);
CREATE TABLE read_apart (
    type BIGINT NOT NULL REFERENCES entry_type (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    at BIGINT NOT NULL,
    PRIMARY KEY (type, entry)
);
CREATE TABLE hook_event (
    number BIGINT PRIMARY KEY DEFAULT next_number('hook_event'),
    hook TEXT COLLATE "C" NOT NULL,
    event TEXT COLLATE "C", -- the id that the sender gave it
    system TEXT COLLATE "C" NOT NULL,
    type TEXT COLLATE "C", -- none where everything of the system is meant
    source_id TEXT COLLATE "C",
    word TEXT COLLATE "C", -- what the sender calls what happened
    received BIGINT NOT NULL,
    looks BIGINT NOT NULL DEFAULT 0,
    not_before BIGINT NOT NULL,
    done BIGINT,
    outcome TEXT COLLATE "C"
);
CREATE INDEX hook_event_id ON hook_event (hook, event) WHERE event IS NOT NULL;
CREATE INDEX hook_event_open ON hook_event (system, not_before, number) WHERE done IS NULL;
CREATE INDEX hook_event_done ON hook_event (done) WHERE done IS NOT NULL;
CREATE TABLE arrival (
    system TEXT COLLATE "C" NOT NULL,
    hour BIGINT NOT NULL,
    entries BIGINT NOT NULL,
    last BIGINT NOT NULL, -- when the last of them did
    PRIMARY KEY (system, hour)
);
CREATE TABLE alert (
    number BIGINT PRIMARY KEY DEFAULT next_number('alert'),
    kind TEXT COLLATE "C" NOT NULL,
    subject TEXT COLLATE "C" NOT NULL,
    message TEXT COLLATE "C" NOT NULL,
    opened BIGINT NOT NULL,
    reminded BIGINT NOT NULL,
    closed BIGINT
);
CREATE UNIQUE INDEX alert_open ON alert (kind, subject) WHERE closed IS NULL;
CREATE INDEX alert_closed ON alert (closed) WHERE closed IS NOT NULL;
CREATE TABLE happening (
    number BIGINT PRIMARY KEY DEFAULT next_number('happening'),
    at BIGINT NOT NULL,
    kind TEXT COLLATE "C" NOT NULL,
    subject TEXT COLLATE "C" NOT NULL,
    detail TEXT COLLATE "C" NOT NULL
);
CREATE TABLE tell (
    name TEXT COLLATE "C" PRIMARY KEY,
    position BIGINT NOT NULL
);
CREATE TABLE outbox (
    number BIGINT PRIMARY KEY DEFAULT next_number('outbox'),
    tell TEXT COLLATE "C" NOT NULL,
    happening BIGINT NOT NULL,
    kind TEXT COLLATE "C" NOT NULL,
    subject TEXT COLLATE "C" NOT NULL,
    media TEXT COLLATE "C" NOT NULL,
    headers TEXT COLLATE "C" NOT NULL,
    body TEXT COLLATE "C" NOT NULL,
    made BIGINT NOT NULL,
    attempts BIGINT NOT NULL DEFAULT 0,
    not_before BIGINT NOT NULL,
    problem TEXT COLLATE "C",
    ended BIGINT,
    outcome TEXT COLLATE "C" -- told, or given up
);
CREATE INDEX outbox_open ON outbox (tell, subject, number) WHERE ended IS NULL;
CREATE INDEX outbox_ended ON outbox (ended) WHERE ended IS NOT NULL;
CREATE INDEX run_untold ON run (id) WHERE changed IS NOT NULL AND told = 0;
CREATE TABLE occurrence (
    number BIGINT PRIMARY KEY DEFAULT next_number('occurrence'),
    at BIGINT NOT NULL,
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    language TEXT COLLATE "C" NOT NULL,
    kind TEXT COLLATE "C" NOT NULL, -- held, failed, edited
    reason TEXT COLLATE "C" NOT NULL,
    fields TEXT COLLATE "C" NOT NULL -- a JSON list
);
CREATE INDEX occurrence_at ON occurrence (at);
CREATE INDEX occurrence_entry ON occurrence (entry);
CREATE TABLE subscription (
    system TEXT COLLATE "C" NOT NULL,
    feed TEXT COLLATE "C" NOT NULL,
    hub TEXT COLLATE "C", -- none where the feed names none
    topic TEXT COLLATE "C" NOT NULL,
    token TEXT COLLATE "C" NOT NULL UNIQUE, -- what the address is known by that the hub calls
    secret TEXT COLLATE "C" NOT NULL, -- what it signs with
    ends BIGINT, -- till when it calls, once it has asked back
    next BIGINT NOT NULL, -- when it is seen to again
    failures BIGINT NOT NULL,
    problem TEXT COLLATE "C",
    PRIMARY KEY (system, feed)
);
CREATE INDEX intent_run ON intent (run);
CREATE TABLE undone (
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    run BIGINT NOT NULL, -- the run that was undone
    who TEXT COLLATE "C" NOT NULL,
    since BIGINT NOT NULL,
    documents TEXT COLLATE "C" NOT NULL, -- a JSON list of `language` and `fields`; empty where nothing is to be there
    PRIMARY KEY (lane, entry)
);
CREATE TABLE slate (
    id BIGINT PRIMARY KEY DEFAULT next_number('slate'),
    name TEXT COLLATE "C" NOT NULL UNIQUE,
    does TEXT COLLATE "C" NOT NULL, -- launch, withdraw
    lanes TEXT COLLATE "C" NOT NULL, -- a JSON list; empty where all lanes are meant that take its entries
    keeps_back BIGINT NOT NULL, -- whether ordinary pushes leave its entries alone till then
    standing TEXT COLLATE "C" NOT NULL, -- open, launched, cancelled
    made BIGINT NOT NULL,
    who TEXT COLLATE "C" NOT NULL,
    launch_at BIGINT, -- when it is launched by itself
    launched BIGINT,
    run BIGINT -- the run that launched it
);
CREATE TABLE slate_entry (
    slate BIGINT NOT NULL REFERENCES slate (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    version BIGINT NOT NULL, -- the version that was there when it was added
    added BIGINT NOT NULL,
    PRIMARY KEY (slate, entry)
);
CREATE INDEX slate_entry_of ON slate_entry (entry);
CREATE TABLE slate_run (
    slate BIGINT NOT NULL REFERENCES slate (id),
    run BIGINT NOT NULL REFERENCES run (id),
    PRIMARY KEY (slate, run)
);
CREATE TABLE list_pin (
    list TEXT COLLATE "C" NOT NULL,
    entry BIGINT NOT NULL REFERENCES entry (id),
    place BIGINT NOT NULL, -- from 1
    until BIGINT, -- when it ends; never where null
    who TEXT COLLATE "C" NOT NULL,
    since BIGINT NOT NULL,
    PRIMARY KEY (list, entry)
);
CREATE TABLE cut (
    entry BIGINT NOT NULL REFERENCES entry (id),
    picture TEXT COLLATE "C" NOT NULL, -- its address
    rendition TEXT COLLATE "C" NOT NULL,
    x BIGINT NOT NULL,
    y BIGINT NOT NULL,
    width BIGINT NOT NULL,
    height BIGINT NOT NULL,
    hash TEXT COLLATE "C" NOT NULL, -- the SHA-256 of the picture's bytes
    who TEXT COLLATE "C" NOT NULL,
    since BIGINT NOT NULL,
    PRIMARY KEY (entry, picture, rendition)
);

-- The words of the current version, in all languages, each once, without accents and in small letters.
CREATE TABLE entry_text (
    rowid BIGINT PRIMARY KEY,
    words TSVECTOR NOT NULL
);
CREATE INDEX entry_text_words ON entry_text USING gin (words);

-- Entries of a lane that one of several processes works on, and the keys that it is about to make: no other takes them
-- while it lives.
CREATE TABLE claim (
    lane BIGINT NOT NULL REFERENCES lane (id),
    entry BIGINT NOT NULL REFERENCES entry (id),
    process TEXT COLLATE "C" NOT NULL,
    PRIMARY KEY (lane, entry)
);
CREATE TABLE claimed_key (
    lane BIGINT NOT NULL REFERENCES lane (id),
    key BYTEA NOT NULL, -- its fingerprint, and that of the language
    entry BIGINT NOT NULL REFERENCES entry (id),
    process TEXT COLLATE "C" NOT NULL,
    PRIMARY KEY (lane, key)
);

-- When a system may be asked next, in microseconds since 1970, by whichever process; and how many requests each may have
-- under way there, till when unless it says that it is still there.
CREATE TABLE meter (
    system TEXT COLLATE "C" PRIMARY KEY,
    next BIGINT NOT NULL
);
CREATE TABLE place (
    system TEXT COLLATE "C" NOT NULL,
    process TEXT COLLATE "C" NOT NULL,
    places BIGINT NOT NULL,
    ends BIGINT NOT NULL,
    PRIMARY KEY (system, process)
);

-- Kept by the statements that change `delivery`, once for all their rows, so that `status` never counts.
CREATE FUNCTION count_deliveries() RETURNS TRIGGER LANGUAGE plpgsql AS $body$
BEGIN
    IF TG_OP <> 'INSERT' THEN
        UPDATE delivery_count SET entries = entries - gone.many
            FROM (SELECT lane, standing, count(*) AS many FROM before GROUP BY lane, standing) AS gone
            WHERE delivery_count.lane = gone.lane AND delivery_count.standing = gone.standing;
    END IF;
    IF TG_OP <> 'DELETE' THEN
        INSERT INTO delivery_count SELECT lane, standing, count(*) FROM after GROUP BY lane, standing
            ON CONFLICT (lane, standing) DO UPDATE SET entries = delivery_count.entries + excluded.entries;
    END IF;
    RETURN NULL;
END $body$;
CREATE TRIGGER delivery_added AFTER INSERT ON delivery
    REFERENCING NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION count_deliveries();
CREATE TRIGGER delivery_moved AFTER UPDATE ON delivery
    REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION count_deliveries();
CREATE TRIGGER delivery_removed AFTER DELETE ON delivery
    REFERENCING OLD TABLE AS before FOR EACH STATEMENT EXECUTE FUNCTION count_deliveries();

INSERT INTO chain_head VALUES (1, 0, '');
