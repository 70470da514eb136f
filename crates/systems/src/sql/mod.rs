//! Kind `sql`: tables of PostgreSQL and SQLite. Rows are listed in the order of their key, in one snapshot a listing;
//! each document is written in a transaction of its own, over what was read alone. Names stand quoted in statements and
//! values are bound to them, so that no content is ever part of one.

mod catalogue;
mod columns;
mod database;
mod document;
mod kind;
mod listing;
mod postgres;
mod read;
mod rows;
mod source;
mod sqlite;
mod statement;
mod suffixes;
mod table;
mod write;

pub(crate) use kind::Sql;
