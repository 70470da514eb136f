//! What an agency asks for a batch, and its acceptance: of the very price that was seen, by a person or by the brief.

use diaporos_store::{BatchRow, BatchStanding};
use diaporos_systems::agency::{Agency, Quote};

use super::BatchError;
use crate::config::{Brief, Rates, hundred_thousandths};

/// How a batch stands whose agency says what it will cost.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Quoted {
    /// The agency has not said its price yet.
    Waiting,
    /// It asks so much, and waits for somebody to accept that.
    Asked(String),
    /// So much was accepted, and work has begun.
    Accepted(String),
}

impl Quoted {
    fn of(quote: &Quote) -> Quoted {
        match (&quote.price, quote.is_accepted) {
            (None, false) => Quoted::Waiting,
            (_, true) => Quoted::Accepted(told(quote)),
            (Some(_), false) => Quoted::Asked(told(quote)),
        }
    }
}

/// A price as it is told.
fn told(quote: &Quote) -> String {
    let parts = [quote.currency.as_deref(), quote.price.as_deref()];
    parts.into_iter().flatten().collect::<Vec<_>>().join(" ")
}

/// Whether two prices are the same, however they are written.
fn is_same(one: &str, other: &str) -> bool {
    let read = |text: &str| hundred_thousandths(text);
    one == other || (read(one).is_some() && read(one) == read(other))
}

/// Whether a price is within what the brief accepts, in its currency.
fn is_within(rates: Option<&Rates>, quote: &Quote) -> bool {
    let Some((rates, most)) = rates.and_then(|rates| Some((rates, rates.accept_up_to?))) else { return false };
    let is_ours = quote.currency.as_ref().is_none_or(|currency| *currency == rates.currency);
    let price = quote.price.as_deref().and_then(hundred_thousandths);
    is_ours && price.is_some_and(|price| price <= most)
}

/// How a batch stands; none where its agency says no prices, or it was not ordered.
///
/// # Errors
/// Where the agency does not answer.
pub async fn quoted(agency: &Agency, batch: &BatchRow) -> Result<Option<Quoted>, BatchError> {
    let Some(order) = &batch.order_there else { return Ok(None) };
    Ok(agency.quote(order).await?.as_ref().map(Quoted::of))
}

/// Accepts what the agency asks, where that is no more than the brief accepts by itself; says how the batch stands.
///
/// # Errors
/// Where the agency fails.
pub(super) async fn settle(agency: &Agency, brief: &Brief, batch: &BatchRow) -> Result<Option<Quoted>, BatchError> {
    let Some(order) = &batch.order_there else { return Ok(None) };
    let Some(quote) = agency.quote(order).await? else { return Ok(None) };
    if quote.is_accepted || !is_within(brief.usual.rates.as_ref(), &quote) {
        return Ok(Some(Quoted::of(&quote)));
    }
    accepted(agency, order, &quote).await.map(Some)
}

/// Accepts what the agency asks, where it is the price that was seen.
///
/// # Errors
/// Where it asks another price by now, none, or fails.
pub async fn accept_quote(agency: &Agency, batch: &BatchRow, seen: &str) -> Result<Quoted, BatchError> {
    let refused = |why: String| BatchError::Standing(why);
    if batch.standing == BatchStanding::Cancelled {
        return Err(refused(format!("`{}` was cancelled; nothing was accepted", batch.name)));
    }
    let order = batch.order_there.as_ref().ok_or_else(|| refused(format!("`{}` was not ordered", batch.name)))?;
    let quote = agency.quote(order).await?;
    let quote = quote.ok_or_else(|| refused("this agency does not say what orders will cost".to_owned()))?;
    match &quote.price {
        _ if quote.is_accepted => Ok(Quoted::of(&quote)),
        None => Err(refused("the agency has not said its price yet; nothing was accepted".to_owned())),
        Some(price) if !is_same(price, seen) => {
            Err(refused(format!("the agency asks {} by now, and not {seen}; nothing was accepted", told(&quote))))
        }
        Some(_) => accepted(agency, order, &quote).await,
    }
}

/// Accepts a quote. Where the answer is lost, the agency is asked whether it is accepted.
async fn accepted(agency: &Agency, order: &str, quote: &Quote) -> Result<Quoted, BatchError> {
    match agency.accept(order).await {
        Ok(()) => Ok(Quoted::Accepted(told(quote))),
        Err(lost) if lost.kind.leaves_doubt() => match agency.quote(order).await {
            Ok(Some(now)) if now.is_accepted => Ok(Quoted::of(&now)),
            _ => Err(lost.into()),
        },
        Err(error) => Err(error.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_price_is_accepted_by_itself_within_its_limit_and_currency() {
        let rates = Rates { currency: "EUR".into(), accept_up_to: Some(25_000_000), ..Rates::default() };
        for (price, currency, expected) in [
            (Some("250"), Some("EUR"), true),
            (Some("250.00"), None, true),
            (Some("250.01"), Some("EUR"), false),
            (Some("12"), Some("USD"), false),
            (Some("1e2"), Some("EUR"), false),
            (None, Some("EUR"), false),
        ] {
            let text = |text: Option<&str>| text.map(str::to_owned);
            let quote = Quote { price: text(price), currency: text(currency), is_accepted: false };
            assert_eq!(is_within(Some(&rates), &quote), expected, "{price:?} {currency:?}");
            assert!(!is_within(Some(&Rates { accept_up_to: None, ..rates.clone() }), &quote), "nothing is said");
        }
        assert!(is_same("8.2", "8.20") && !is_same("8.2", "8.21") && !is_same("x", "y"));
    }
}
