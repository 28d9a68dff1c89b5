//! Rows found by plain words.
//!
//! What was typed is taken word by word. A word fits a word of a row when both are the same but for
//! their endings and the spelling of two countries, when one is another name for the other, or when
//! it is the beginning of the other. A word that nothing knows is taken for the nearest one that is
//! known. Letters that only occur in order, far apart, count when no word fits.

use std::collections::HashMap;
use std::sync::LazyLock;

use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};

use wayodos_core::units::{spoken_number, spoken_ordinal};

use super::thesaurus::{FILLERS, GROUPS, IRREGULAR};

/// What a row says, by how much a word of it counts.
#[derive(Clone, Copy, Debug)]
pub struct Row<'a> {
    /// What it is called.
    pub title: &'a str,
    /// Words and phrases by which people look for it, with commas between them.
    pub plain: &'a str,
    /// The sentence, word or key.
    pub text: &'a str,
    /// What it does, in a sentence.
    pub what: &'a str,
}

/// Rows that were found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Found {
    /// Their numbers, best first.
    pub rows: Vec<usize>,
    /// None of them fits: these are the nearest.
    pub only_near: bool,
}

/// What a word counts, by where it stands.
const TITLE: f64 = 10.0;
const PLAIN: f64 = 9.5;
const TEXT: f64 = 5.0;
const WHAT: f64 = 3.0;

/// What a word counts by how it fits.
const SAME: f64 = 1.0;
const ENDING: f64 = 0.95;
const OTHER_NAME: f64 = 0.7;
const BEGINNING: f64 = 0.75;
const SHORT_BEGINNING: f64 = 0.6;
const ANY_NUMBER: f64 = 0.5;

/// A word of a phrase counts this much without the rest of the phrase.
const OF_A_PHRASE: f64 = 0.55;
/// What a row gets for a phrase that was typed as it stands, for each word of it, and for two words
/// in their order.
const WHOLE_PHRASE: f64 = 3.0;
const WORD_OF_IT: f64 = 0.3;
const IN_ORDER: f64 = 0.6;
/// What it gets when all of its title was typed.
const WHOLE_TITLE: f64 = 0.7;
/// What a filler or a unit counts beside a word, and what a number does.
const LITTLE: f64 = 0.25;
const NUMBER: f64 = 0.5;
/// What the first word of several counts.
const FIRST: f64 = 1.4;
/// What a word counts that is in no row: it cannot tell one from the other.
const UNKNOWN: f64 = 0.5;
/// A row fits when words of at least this share of the weight are found in it.
const ENOUGH: f64 = 0.5;
/// A row is shown beside the best one when it has this share of its score.
const BESIDE: f64 = 0.45;
/// Of rows that are only near what was typed, at most this many are shown.
const MOST_NEAR: usize = 5;
/// More words than this are not looked at.
const MOST_WORDS: usize = 12;
/// Letters that only occur in order are looked for in so short a word.
const SCATTERED: usize = 6;

/// A word, how it is compared, and what stands for it.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Word {
    /// In small letters.
    whole: String,
    /// Without its ending, in one spelling.
    stem: String,
    number: bool,
}

impl Word {
    fn new(word: &str) -> Self {
        // `one` is as often no number, and `second` a unit.
        let number = spoken_number(word).or_else(|| spoken_ordinal(word));
        let number = number.filter(|_| !matches!(word, "one" | "second"));
        let whole = number.map_or_else(|| word.to_owned(), |number| number.to_string());
        let number = whole.starts_with(|letter: char| letter.is_ascii_digit());
        Self {
            stem: if number { whole.clone() } else { stem(&whole) },
            whole,
            number,
        }
    }
}

/// The words of a text.
fn words(text: &str) -> Vec<Word> {
    pieces(text).iter().map(|piece| Word::new(piece)).collect()
}

/// Letters, and digits, each by themselves, in small letters.
fn pieces(text: &str) -> Vec<String> {
    let mut all = Vec::new();
    let mut word = String::new();
    let mut end = |word: &mut String| {
        if !word.is_empty() {
            all.push(std::mem::take(word));
        }
    };
    for letter in text.to_lowercase().chars() {
        if matches!(letter, '\'' | '’') {
            continue;
        }
        let sign = match letter {
            '%' => Some("percent"),
            '°' => Some("deg"),
            _ => None,
        };
        if let Some(sign) = sign {
            end(&mut word);
            word.push_str(sign);
            end(&mut word);
            continue;
        }
        let joins = letter.is_alphanumeric()
            || letter == '.' && word.ends_with(|last: char| last.is_ascii_digit());
        let turns = word
            .chars()
            .next_back()
            .is_some_and(|last| last.is_numeric() != letter.is_numeric() && letter != '.');
        if !joins || turns {
            end(&mut word);
        }
        if joins {
            word.push(letter);
        }
    }
    end(&mut word);
    all
}

/// A word without its ending, in one of the two spellings.
///
/// Two words of one family need to come to the same, not to a word that exists.
fn stem(word: &str) -> String {
    if let Some((_, base)) = IRREGULAR.iter().find(|(form, _)| *form == word) {
        return stem(base);
    }
    if word.chars().count() < 3 || !word.is_ascii() {
        return word.to_owned();
    }
    let mut word = word.to_owned();
    for (british, american) in [
        ("olour", "olor"),
        ("aviour", "avior"),
        ("arbour", "arbor"),
        ("metre", "meter"),
        ("centre", "center"),
        ("grey", "gray"),
        ("ise", "ize"),
        ("isation", "ization"),
        ("yse", "yze"),
        ("logue", "log"),
        ("programme", "program"),
    ] {
        if let Some(at) = word.find(british)
            && (british != "ise" || at > 2 && word.ends_with("ise"))
        {
            word.replace_range(at..at + british.len(), american);
        }
    }
    let cut = |word: &mut String, ending: &str, least: usize| {
        let fits = word.len() >= ending.len() + least && word.ends_with(ending);
        if fits {
            word.truncate(word.len() - ending.len());
        }
        fits
    };
    if cut(&mut word, "ies", 2) {
        word.push('y');
    } else if !word.ends_with("ss") && !word.ends_with("us") && !word.ends_with("is") {
        let _ = cut(&mut word, "s", 3);
    }
    let inner = [
        "ing", "edly", "ed", "ers", "er", "est", "ness", "ment", "ly",
    ]
    .iter()
    .any(|ending| {
        let has_vowel = word
            .strip_suffix(ending)
            .is_some_and(|rest| rest.contains(['a', 'e', 'i', 'o', 'u', 'y']));
        has_vowel && cut(&mut word, ending, 3)
    });
    if inner {
        // stopping: stop
        let bytes = word.as_bytes();
        if let [.., before, last] = bytes
            && before == last
            && !matches!(last, b's' | b'l' | b'z' | b'a' | b'e' | b'o')
        {
            word.pop();
        }
    }
    let _ = cut(&mut word, "e", 2);
    if word.len() > 3 && word.ends_with('i') {
        word.pop();
        word.push('y');
    }
    word
}

/// The groups of words that mean nearly the same, by their stems.
static STEMS: LazyLock<Vec<Vec<String>>> = LazyLock::new(|| {
    GROUPS
        .iter()
        .map(|group| group.split(' ').map(stem).collect())
        .collect()
});

/// Other names of a word, by their stems.
fn other_names(word: &Word) -> Vec<String> {
    let groups = STEMS.iter().filter(|stems| stems.contains(&word.stem));
    groups
        .flatten()
        .filter(|other| **other != word.stem)
        .cloned()
        .collect()
}

/// A word that was typed.
struct Typed {
    word: Word,
    /// What else it may be called.
    other: Vec<String>,
    /// It says little by itself.
    little: bool,
    /// How much it says in this list.
    weight: f64,
    /// How well it fits each word of the list.
    fits: Vec<f64>,
}

impl Typed {
    /// Finds out how well it fits the words of a list.
    fn fit(&mut self, index: &Index) {
        self.fits = index.words.iter().map(|word| fits(self, word)).collect();
    }
}

/// A word of a row.
#[derive(Clone, Debug)]
struct Place {
    /// Its number among the words of the list.
    word: usize,
    /// What it counts there.
    worth: f64,
    /// The field, and the phrase within, that it stands in.
    field: usize,
    phrase: usize,
}

/// How well a word that was typed fits a word of a row; 0 when it does not.
fn fits(typed: &Typed, place: &Word) -> f64 {
    let word = &typed.word;
    if word.number {
        return match (place.number, word.whole == place.whole) {
            (true, true) => SAME,
            (true, false) => ANY_NUMBER,
            (false, _) => 0.0,
        };
    }
    if word.whole == place.whole {
        SAME
    } else if word.stem == place.stem {
        ENDING
    } else if typed.other.contains(&place.stem) {
        OTHER_NAME
    } else if place.whole.starts_with(&word.whole) {
        if word.whole.len() > 2 {
            BEGINNING
        } else {
            SHORT_BEGINNING
        }
    } else {
        0.0
    }
}

/// Rows whose words have been looked at: what every search in them begins with.
#[derive(Clone, Debug, Default)]
pub struct Index {
    /// Every word of them, once.
    words: Vec<Word>,
    rows: Vec<Vec<Place>>,
}

impl Index {
    /// Looks at the words of rows.
    pub fn new<'a>(rows: impl IntoIterator<Item = Row<'a>>) -> Self {
        let mut index = Self::default();
        let mut known = HashMap::new();
        for row in rows {
            let places = index.places(&row, &mut known);
            index.rows.push(places);
        }
        index
    }

    /// The places of a row's words.
    fn places(&mut self, row: &Row<'_>, known: &mut HashMap<String, usize>) -> Vec<Place> {
        let fields = [
            (row.title, TITLE),
            (row.plain, PLAIN),
            (row.text, TEXT),
            (row.what, WHAT),
        ];
        let mut all = Vec::new();
        for (field, (text, worth)) in fields.into_iter().enumerate() {
            // Only plain words are a list of phrases.
            let parts: Vec<&str> = if worth == PLAIN {
                text.split(',').collect()
            } else {
                vec![text]
            };
            for (phrase, part) in parts.into_iter().enumerate() {
                let words = pieces(part);
                let alone = words.len() == 1 || worth != PLAIN;
                let worth = if alone { worth } else { worth * OF_A_PHRASE };
                for word in words {
                    let next = self.words.len();
                    let number = *known.entry(word).or_insert_with_key(|word| {
                        self.words.push(Word::new(word));
                        next
                    });
                    all.push(Place {
                        word: number,
                        worth,
                        field,
                        phrase,
                    });
                }
            }
        }
        all
    }
}

/// What a row scores for what was typed; nothing when too little of it is there.
fn score(typed: &[Typed], row: &[Place], index: &Index) -> Option<f64> {
    let (mut sum, mut found, mut all) = (0.0, 0.0, 0.0);
    let mut at: Vec<Option<usize>> = Vec::new();
    for one in typed {
        let best = row
            .iter()
            .enumerate()
            .map(|(nth, place)| (one.fits[place.word] * place.worth, nth))
            .filter(|(worth, _)| *worth > 0.0)
            .max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
        if let Some((worth, nth)) = best {
            sum += worth * one.weight;
            found += one.weight;
            all += one.weight;
            at.push(Some(nth));
        } else {
            // What says little need not be there.
            let missed = if one.little { 0.0 } else { one.weight };
            all += missed;
            at.push(None);
        }
    }
    if all <= 0.0 || found < all * ENOUGH {
        return None;
    }
    let share = found / all;
    let mut score = sum / all * share;
    for pair in at.windows(2) {
        if let [Some(first), Some(second)] = pair
            && *second == first + 1
            && row[*first].field == row[*second].field
        {
            score += IN_ORDER;
        }
    }
    let (phrase, bonus) = whole_phrase(typed, row, index);
    Some(score.max(phrase) + bonus)
}

/// What a phrase of plain words, or a title, is worth that was typed as it stands, and what the row
/// gets for it.
fn whole_phrase(typed: &[Typed], row: &[Place], index: &Index) -> (f64, f64) {
    let mut best = (0.0, 0.0);
    let mut from = 0;
    while let Some(first) = row.get(from) {
        let same = |place: &&Place| (place.field, place.phrase) == (first.field, first.phrase);
        let count = row[from..].iter().take_while(same).count();
        let phrase = &row[from..from + count];
        from += count;
        if first.field > 1 {
            continue;
        }
        let worst = |fitting: &mut dyn Iterator<Item = f64>| fitting.fold(SAME, f64::min);
        let typed_all = worst(
            &mut phrase
                .iter()
                .filter(|place| says(&index.words[place.word]))
                .map(|place| {
                    let fitting = typed.iter().map(|one| one.fits[place.word]);
                    fitting.fold(0.0, f64::max)
                }),
        );
        if typed_all < OTHER_NAME {
            continue;
        }
        let said_all = worst(&mut typed.iter().filter(|one| !one.little).map(|one| {
            let fitting = phrase.iter().map(|place| one.fits[place.word]);
            fitting.fold(0.0, f64::max)
        }));
        let found = if said_all >= OTHER_NAME {
            let typed_of_it =
                |place: &&Place| typed.iter().any(|one| one.fits[place.word] >= ENDING);
            let words = phrase.iter().filter(typed_of_it).count() as f64;
            let worth = if first.field == 0 { TITLE } else { PLAIN };
            let fits = said_all.min(typed_all);
            // Half of it for `stop for` when only `stop` was typed.
            let left_out = phrase
                .iter()
                .filter(|place| !says(&index.words[place.word]))
                .any(|place| !typed_of_it(&place));
            let whole = WHOLE_PHRASE * fits * fits * if left_out { 0.5 } else { 1.0 };
            (worth * fits, whole + WORD_OF_IT * words)
        } else if first.field == 0 {
            (0.0, WHOLE_TITLE)
        } else {
            continue;
        };
        if found.0 + found.1 > best.0 + best.1 {
            best = found;
        }
    }
    best
}

/// Whether a phrase is not the same without this word.
fn says(word: &Word) -> bool {
    word.number || !is_filler(word)
}

fn is_filler(word: &Word) -> bool {
    word.number || FILLERS.contains(&word.whole.as_str())
}

/// The rows that fit what was typed, best first; when none does, the nearest ones.
///
/// - `index`: of the same `rows`
pub fn search(query: &str, index: &Index, rows: &[Row<'_>]) -> Found {
    let placed = &index.rows;
    let mut typed: Vec<Typed> = words(query)
        .into_iter()
        .take(MOST_WORDS)
        .map(|word| Typed {
            other: other_names(&word),
            little: is_filler(&word),
            weight: 1.0,
            fits: Vec::new(),
            word,
        })
        .collect();
    if typed.iter().all(|one| one.little) {
        // Nothing but small words: they are all there is to go by.
        for one in &mut typed {
            one.little = false;
        }
    }
    for one in &mut typed {
        one.fit(index);
    }
    forgive(&mut typed, index);
    weigh(&mut typed, placed);
    // What is to be done comes first: `save mission`, `trash step`.
    if typed.iter().filter(|one| !one.little).count() > 1
        && let Some(first) = typed.iter_mut().find(|one| !one.little)
    {
        first.weight *= FIRST;
    }
    let mut found: Vec<(f64, usize)> = placed
        .iter()
        .enumerate()
        .filter_map(|(nth, row)| score(&typed, row, index).map(|score| (score, nth)))
        .collect();
    found.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    if found.is_empty() {
        let scattered = scattered(query, index, rows);
        if !scattered.is_empty() {
            return Found {
                rows: scattered,
                only_near: false,
            };
        }
        return Found {
            rows: near(query, index),
            only_near: true,
        };
    }
    let best = found[0].0;
    let rows = found
        .into_iter()
        .filter(|(score, _)| *score >= best * BESIDE)
        .map(|(_, nth)| nth)
        .collect();
    Found {
        rows,
        only_near: false,
    }
}

/// A word that is found in fewer rows says more.
fn weigh(typed: &mut [Typed], rows: &[Vec<Place>]) {
    let count = rows.len() as f64;
    for one in typed {
        let with = |least: f64| {
            let has = |row: &&Vec<Place>| row.iter().any(|place| one.fits[place.word] >= least);
            rows.iter().filter(has).count() as f64
        };
        // Other names of a word are in many rows.
        let with = Some(with(ENDING))
            .filter(|count| *count > 0.0)
            .unwrap_or_else(|| with(f64::MIN_POSITIVE));
        one.weight = (1.0 + count / (1.0 + with)).ln().max(0.3);
        if with == 0.0 {
            one.weight = UNKNOWN;
        }
        if one.word.number {
            one.weight *= NUMBER;
        } else if one.little {
            one.weight *= LITTLE;
        }
    }
}

/// Takes words that nothing knows for the nearest ones that are known: one slip of the finger in a
/// word of four letters, two in one of eight.
fn forgive(typed: &mut [Typed], index: &Index) {
    let known = |one: &Typed| !one.other.is_empty() || one.fits.iter().any(|fit| *fit > 0.0);
    for one in typed.iter_mut() {
        if one.little || one.word.number || known(one) {
            continue;
        }
        let length = one.word.whole.chars().count();
        let most = match length {
            4..=7 => 1,
            8..=30 => 2,
            _ => 0,
        };
        let own = index.words.iter().map(|word| word.whole.as_str());
        let named = GROUPS.iter().flat_map(|group| group.split(' '));
        let nearest = own
            .chain(named)
            .filter(|candidate| {
                let other = candidate.chars().count();
                // In a word of four letters another letter makes another word.
                let swapped =
                    length > 4 || other != length || same_letters(candidate, &one.word.whole);
                other.abs_diff(length) <= most && other > 2 && swapped
            })
            .map(|candidate| {
                let distance = strsim::damerau_levenshtein(&one.word.whole, candidate);
                // People rarely get the first letter wrong.
                let first = candidate.chars().next() != one.word.whole.chars().next();
                (distance, first, candidate)
            })
            .filter(|(distance, ..)| *distance <= most)
            .min();
        if let Some((.., candidate)) = nearest {
            one.word = Word::new(candidate);
            one.other = other_names(&one.word);
            one.fit(index);
        }
    }
}

fn same_letters(a: &str, b: &str) -> bool {
    let sorted = |word: &str| {
        let mut letters: Vec<char> = word.chars().collect();
        letters.sort_unstable();
        letters
    };
    sorted(a) == sorted(b)
}

/// Rows whose title or sentence has the letters of one short word in their order, beginning where a
/// word begins.
fn scattered(query: &str, index: &Index, rows: &[Row<'_>]) -> Vec<usize> {
    let query = query.trim();
    let short = (2..=SCATTERED).contains(&query.chars().count());
    if !short || !query.chars().all(char::is_alphanumeric) {
        return Vec::new();
    }
    let mut matcher = Matcher::new(Config::DEFAULT);
    let pattern = Pattern::parse(query, CaseMatching::Ignore, Normalization::Smart);
    let mut letters = Vec::new();
    let first = query.to_lowercase().chars().next();
    let mut found: Vec<(u32, usize)> = Vec::new();
    for (nth, row) in rows.iter().enumerate() {
        let begins = |field: usize| {
            let mut here = index.rows[nth].iter().filter(|place| place.field == field);
            here.any(|place| index.words[place.word].whole.chars().next() == first)
        };
        let best = [(row.title, 0), (row.text, 2)]
            .iter()
            .filter(|(_, field)| begins(*field))
            .map(|(text, _)| text)
            .filter_map(|text| pattern.score(Utf32Str::new(text, &mut letters), &mut matcher))
            .max();
        // Letters that stand far apart are no match.
        let least = 18 * query.chars().count() as u32;
        found.extend(best.filter(|best| *best >= least).map(|best| (best, nth)));
    }
    found.sort_by_key(|(score, nth)| (std::cmp::Reverse(*score), *nth));
    let best = found.first().map_or(0, |(score, _)| *score);
    found
        .into_iter()
        .filter(|(score, _)| score * 5 >= best * 4)
        .map(|(_, nth)| nth)
        .collect()
}

/// The rows with the words that look most like those that were typed.
fn near(query: &str, index: &Index) -> Vec<usize> {
    let typed: Vec<Word> = words(query)
        .into_iter()
        .filter(|word| (3..=30).contains(&word.whole.chars().count()) && !is_filler(word))
        .take(MOST_WORDS)
        .collect();
    let alike = |word: &Word| {
        let each = typed.iter().map(|one| {
            let letters = strsim::normalized_damerau_levenshtein(&one.whole, &word.whole);
            strsim::sorensen_dice(&one.whole, &word.whole).max(letters)
        });
        each.fold(0.0, f64::max)
    };
    let all: Vec<f64> = index.words.iter().map(alike).collect();
    let rows = index.rows.iter().enumerate();
    let mut found: Vec<(f64, usize)> = rows
        .map(|(nth, row)| {
            let said = row.iter().filter(|place| place.worth > WHAT);
            (said.map(|place| all[place.word]).fold(0.0, f64::max), nth)
        })
        .filter(|(alike, _)| *alike >= 0.5)
        .collect();
    found.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    found
        .into_iter()
        .take(MOST_NEAR)
        .map(|(_, nth)| nth)
        .collect()
}
