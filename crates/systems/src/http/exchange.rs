//! One request on its way, and the answer that comes.

use std::time::Duration;

use futures::StreamExt;
use reqwest::{RequestBuilder, Response};

use super::Answer;
use super::allowance::nothing_left_for;
use super::limits::Limits;
use super::pace::Pace;
use super::request::shown_url;
use super::retry::{LONGEST_ASKED, causes};
use crate::ErrorKind;
use crate::beside::Beside;
use crate::blank::{BlankedContent, blank, blank_content};

/// Takes a body piece by piece.
pub(crate) trait BodySink: Send {
    /// A body begins; what was taken before is forgotten.
    fn begin(&mut self) -> std::io::Result<()>;

    /// Takes the next bytes.
    fn take(&mut self, bytes: &[u8]) -> std::io::Result<()>;
}

/// One request on its way: when it may go, how long it may take, and how much may come.
pub(super) struct Exchange {
    pace: Pace,
    first_byte: Duration,
    whole: Duration,
    max_bytes: u64,
}

/// Drives an exchange on a task of its own, so that the next request goes out while whoever waits for this one's
/// answer is busy. It ends with the future.
pub(super) async fn beside(
    exchange: impl Future<Output = Result<Answer, ErrorKind>> + Send + 'static,
) -> Result<Answer, ErrorKind> {
    let ends = || Err(ErrorKind::Broken("the program ends".to_owned()));
    Beside::begin(exchange).ended().await.unwrap_or_else(ends)
}

impl Exchange {
    pub(super) fn of(limits: &Limits, pace: Pace) -> Exchange {
        Exchange { pace, first_byte: limits.first_byte, whole: limits.whole, max_bytes: limits.max_bytes }
    }

    /// The answer with its body.
    pub(super) async fn held(self, sending: RequestBuilder) -> Result<Answer, ErrorKind> {
        let _place = self.pace.turn().await;
        let response = self.begun(sending).await?;
        let (status, headers) = self.head(&response);
        // What an answer echoes goes no further, into no message, no store and no next address.
        let body = blank_content(self.body(response).await?);
        Ok(Answer::new(status, headers, body))
    }

    /// The answer; where it is good, its body is given on piece by piece.
    pub(super) async fn given_on(self, sending: RequestBuilder, sink: &mut dyn BodySink) -> Result<Answer, ErrorKind> {
        let _place = self.pace.turn().await;
        let response = self.begun(sending).await?;
        let (status, headers) = self.head(&response);
        let body = if (200..300).contains(&status) {
            self.body_into(response, sink).await?;
            Vec::new()
        } else {
            blank_content(self.body(response).await?)
        };
        Ok(Answer::new(status, headers, body))
    }

    async fn begun(&self, sending: RequestBuilder) -> Result<Response, ErrorKind> {
        match tokio::time::timeout(self.first_byte, sending.send()).await {
            Ok(response) => response.map_err(|error| self.transport(&error)),
            Err(_) => Err(ErrorKind::TimedOut(self.first_byte)),
        }
    }

    /// The status and the headers, names in lower case. Where they say that nothing is left to be asked, nothing is for
    /// as long as they say, but for no longer than a request would wait.
    fn head(&self, response: &Response) -> (u16, Vec<(String, String)>) {
        let pairs = response.headers().iter();
        let pairs = pairs
            .filter_map(|(name, value)| Some((name.as_str().to_owned(), blank(value.to_str().ok()?).into_owned())));
        let headers: Vec<(String, String)> = pairs.collect();
        if let Some(pause) = nothing_left_for(&headers).filter(|pause| *pause <= LONGEST_ASKED) {
            tracing::info!(url = %shown_url(response.url()), ?pause, "it says that nothing is left to be asked");
            self.pace.rest_for(pause);
        }
        (response.status().as_u16(), headers)
    }

    async fn body(&self, response: Response) -> Result<Vec<u8>, ErrorKind> {
        let limit = self.max_bytes;
        if response.content_length().is_some_and(|length| length > limit) {
            return Err(ErrorKind::TooLarge { limit });
        }
        let mut body = Vec::new();
        let mut chunks = response.bytes_stream();
        while let Some(chunk) = chunks.next().await {
            let chunk = chunk.map_err(|error| self.transport(&error))?;
            if (body.len() + chunk.len()) as u64 > limit {
                return Err(ErrorKind::TooLarge { limit });
            }
            body.extend_from_slice(&chunk);
        }
        Ok(body)
    }

    /// Gives a body on piece by piece, from its beginning.
    async fn body_into(&self, response: Response, sink: &mut dyn BodySink) -> Result<(), ErrorKind> {
        let limit = self.max_bytes;
        let unkept = |error: std::io::Error| ErrorKind::Content(format!("it cannot be kept while it is read: {error}"));
        sink.begin().map_err(unkept)?;
        let (mut length, mut blanked) = (0, BlankedContent::new());
        let mut chunks = response.bytes_stream();
        while let Some(chunk) = chunks.next().await {
            let chunk = chunk.map_err(|error| self.transport(&error))?;
            length += chunk.len() as u64;
            if length > limit {
                return Err(ErrorKind::TooLarge { limit });
            }
            sink.take(&blanked.take(&chunk)).map_err(unkept)?;
        }
        sink.take(&blanked.end()).map_err(unkept)
    }

    fn transport(&self, error: &reqwest::Error) -> ErrorKind {
        if error.is_connect() {
            ErrorKind::Unreachable(causes(error))
        } else if error.is_timeout() {
            ErrorKind::TimedOut(self.whole)
        } else {
            ErrorKind::Broken(causes(error))
        }
    }
}
