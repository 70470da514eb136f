//! Trying blocks before the others are there.

use super::{Block, Form, Inline, JoinError, Piece, TextStructure, Written, message};

impl TextStructure {
    /// One block by itself, as it is checked before the others are there.
    ///
    /// # Errors
    /// Where it has tags that the source has not, or is no sound markup.
    pub fn try_block(&self, place: usize, target: &Inline) -> Result<(), JoinError> {
        self.try_blocks(&[(place, target)]).pop().unwrap_or(Ok(()))
    }

    /// Several blocks, as if each were tried by itself. What cannot be told sound by its shape is joined
    /// together; only where that fails is it parted, so that many sound blocks are read once.
    #[must_use]
    pub fn try_blocks(&self, blocks: &[(usize, &Inline)]) -> Vec<Result<(), JoinError>> {
        let mut tried: Vec<Result<(), JoinError>> = Vec::new();
        let mut doubtful = Vec::new();
        for (nth, (place, target)) in blocks.iter().enumerate() {
            let brace = self.blocks().get(*place).and_then(|block| message::stray_brace(&block.source, target));
            match brace.filter(|_| self.form == Form::Message) {
                Some(brace) => tried.push(Err(JoinError::Brace(brace))),
                None => tried.push(Ok(())),
            }
            if tried.last().is_some_and(Result::is_ok) && !self.is_sound_by_shape(*place, target) {
                doubtful.push((nth, *place, *target));
            }
        }
        self.try_parted(&doubtful, &mut tried);
        tried
    }

    /// Whether the shape of a block tells that it is sound.
    fn is_sound_by_shape(&self, place: usize, target: &Inline) -> bool {
        let is_alike = |block: &Block| match block.written {
            Written::Html if self.form == Form::Html => is_shaped_alike(&block.source, target),
            Written::Markdown | Written::Heading | Written::Cell => {
                is_shaped_alike(&block.source, target) && is_prose_alike(&block.source, target)
            }
            // Of what is in a start tag, what it costs to read is counted too.
            _ => false,
        };
        self.blocks().get(place).is_some_and(is_alike)
            && *self.is_sound.get_or_init(|| self.join(&self.sources()).is_ok())
    }

    fn try_parted(&self, doubtful: &[(usize, usize, &Inline)], tried: &mut [Result<(), JoinError>]) {
        let mut targets = self.sources();
        for (_, place, target) in doubtful {
            if let Some(own) = targets.get_mut(*place) {
                *own = (*target).clone();
            }
        }
        if doubtful.is_empty() {
            return;
        }
        match (self.join(&targets), doubtful) {
            (Ok(_), _) => {}
            (Err(error), [(nth, ..)]) => tried[*nth] = Err(error),
            (Err(_), several) => {
                let (one, other) = several.split_at(several.len() / 2);
                self.try_parted(one, tried);
                self.try_parted(other, tried);
            }
        }
    }

    /// One block within all the others, read as a whole.
    #[cfg(test)]
    pub(super) fn try_whole(&self, place: usize, target: &Inline) -> Result<(), JoinError> {
        let mut targets = self.sources();
        if let Some(own) = targets.get_mut(place) {
            *own = target.clone();
        }
        self.join(&targets).map(drop)
    }
}

/// Whether two texts have the same tags in the same places, with text between them where the other has some, blank
/// where the other is blank. What is written as text is no markup, so one makes sound markup where the other does.
pub(super) fn is_shaped_alike(source: &Inline, target: &Inline) -> bool {
    let (source, target) = (source.pieces(), target.pieces());
    let is_alike = |(source, target): (&Piece, &Piece)| match (source, target) {
        (Piece::Text(source), Piece::Text(target)) => {
            let is_blank = |text: &str| text.chars().all(char::is_whitespace);
            // Readers take some of these away.
            is_blank(source) == is_blank(target) && !target.contains(char::is_control)
        }
        (source, target) => source == target,
    };
    source.len() == target.len() && source.iter().zip(target).all(is_alike)
}

/// Whether every text of the target is of words that no reader of Markdown takes for markup, and meets the tags beside
/// it as the source's text does (CommonMark §6.2).
fn is_prose_alike(source: &Inline, target: &Inline) -> bool {
    let class = |c: Option<char>| c.map(|c| (c.is_whitespace(), c.is_alphanumeric()));
    source.pieces().iter().zip(target.pieces()).all(|(source, target)| {
        let (Piece::Text(source), Piece::Text(target)) = (source, target) else { return true };
        let is_prose = |c: char| c.is_alphanumeric() || matches!(c, ' ' | ',' | ';' | '.' | '\'' | '?');
        target.chars().all(is_prose)
            && target.chars().find(|c| *c != ' ').is_some_and(char::is_alphabetic)
            && class(source.chars().next()) == class(target.chars().next())
            && class(source.chars().next_back()) == class(target.chars().next_back())
    })
}
