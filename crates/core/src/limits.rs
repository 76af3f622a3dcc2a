//! Every bound and threshold of the program, in one table.
//!
//! Each has its unit, what its number rests on (where nothing was measured it says so), and what happens beyond it: what a person is
//! told, or which coarser answer stands instead. Sizes of parts of the screen are not here
//! (the application's `view`), nor the order of rules (`rules::engine`).

/// One bound, for people and tests.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limit {
    /// Its name in code.
    pub name: &'static str,
    /// Its value, in its unit.
    pub value: u64,
    /// What is counted.
    pub unit: &'static str,
    /// The measurement or observation that the number rests on.
    pub basis: &'static str,
    /// What a person sees beyond it, or which coarser answer stands.
    pub beyond: &'static str,
}

macro_rules! limits {
    ($($(#[$doc:meta])+ $name:ident: $type:ty = $value:literal, $unit:literal, $basis:literal, $beyond:literal;)+) => {
        $(
            $(#[$doc])+
            #[doc = concat!("\nUnit: ", $unit, ". Rests on: ", $basis, ". Beyond it: ", $beyond, ".")]
            pub const $name: $type = $value;
        )+

        /// All bounds, in the order of the floors that ask for them.
        pub static LIMITS: &[Limit] = &[
            $(Limit {
                name: stringify!($name),
                value: $value,
                unit: $unit,
                basis: $basis,
                beyond: $beyond,
            },)+
        ];
    };
}

limits! {
    /// Bytes of one version of a file that is merged line by line.
    MERGED_BYTES: usize = 64_000_000, "bytes",
        "a file of a million lines, 40 megabytes, takes 4 s to open and ten times its size of memory",
        "the file is settled as a whole, and its lines are not counted";

    /// Length of a text that is compared token by token to tell whether only blanks differ.
    SAME_TOKENS_BYTES: usize = 200_000, "bytes",
        "judged, not measured: whole files of code are shorter",
        "bytes without blanks are compared, which takes a word cut in two for the same";

    /// Pairs of declarations or paragraphs without a partner of their name that are compared.
    LIKENESS_PAIRS: usize = 250_000, "pairs",
        "judged, not measured: 500 left over on both sides",
        "what has another name is taken for removed and added";
    /// Likeness from which on declarations of different names are the same, renamed.
    RENAMED_LIKENESS: u32 = 65, "per cent of their words",
        "judged, not measured: two short functions of one kind share half of their words",
        "less alike ones are taken for removed and added";
    /// Likeness from which on a declaration is the one that alone stands in its place elsewhere.
    IN_PLACE_LIKENESS: u32 = 40, "per cent of their words",
        "an entry of two words whose name changed keeps half of them",
        "less alike ones are taken for removed and added";
    /// Likeness from which on paragraphs between declarations are the same.
    SAME_PARAGRAPH_LIKENESS: u32 = 50, "per cent of their words",
        "judged, not measured: a paragraph has no name",
        "less alike ones are taken for removed and added";

    /// Length from which on a text of few distinct lines is walked, not searched.
    REPETITIVE_LINES: usize = 1000, "lines",
        "20,000 random lines of two letters took six times as long as git when searched",
        "shorter texts are searched for the shortest difference, whatever they hold";
    /// How often each distinct line must stand in a text for it to count as repetitive.
    REPETITIVE_RATIO: usize = 3, "lines per distinct line",
        "the same measurement",
        "texts with more distinct lines are searched as usual";
    /// Lines that must agree in a row for two repetitive texts to run together again.
    REPETITIVE_RUN: usize = 16, "lines",
        "shorter runs agree by accident in texts of six letters",
        "shorter runs are passed over, so that the difference is coarser";
    /// Lines of both texts together that are tried one by one for such a run.
    REPETITIVE_NEAR: usize = 12, "lines",
        "most edits are shorter than this",
        "runs are looked up in windows that grow fourfold";
    /// Lines of each text that are compared as a block where no run is found.
    REPETITIVE_BLOCK: usize = 1024, "lines",
        "judged, not measured: long enough to hold most edits, short enough to be searched in full",
        "the next block is compared by itself";

    /// Pairs of lines of one hunk whose likeness is compared.
    ALIGN_PAIRS: usize = 10_000, "pairs of lines",
        "judged, not measured: a hundred lines against a hundred",
        "lines are paired in order for the eye, and not at all for merging";
    /// Bytes of a line that are cut into tokens to be compared or shown.
    LINE_BYTES: usize = 8_000, "bytes",
        "about 4 screens of text",
        "the line is told as one change between what both its ends share";
    /// Likeness from which on two lines are shown as one line re-worded.
    SHOWN_ALIKE: u32 = 40, "hundredths of the weight of shared words",
        "judged by eye on the demo",
        "they are shown as one removed and one added";
    /// Likeness from which on two rows are merged as one row re-worded.
    MERGED_ALIKE: u32 = 50, "hundredths of the weight of shared words",
        "fewer wrong pairs on real merges than 40, about as many right ones",
        "they are taken for a row replaced by another";
    /// Bytes of a text that is merged token by token.
    TOKEN_BYTES: usize = 60_000, "bytes",
        "judged, not measured: longer conflicts are not read word by word by anybody",
        "the hint 'too long for rules to look into its words'";
    /// Words that a side must have put in where nothing was, for the other to be said to have them too.
    SAID_WORDS: usize = 3, "words",
        "two words recur by accident in real merges",
        "a change of fewer words is not taken to be held by another";

    /// Bytes of a row that is looked at for formatting and for substitutions.
    FORMATTED_ROW_BYTES: usize = 4_000, "bytes",
        "longer rows are data, not code that a formatter lays out",
        "the row counts as re-worded";
    /// Rows of one version of a conflict that are merged row by row.
    CONFLICT_ROWS: usize = 5_000, "rows",
        "judged, not measured: nobody follows a longer merge",
        "the hint 'too long for rules to look into its words'";
    /// Likeness from which on new rows of one side and replaced rows of the other may stand for each other.
    RIVAL_ALIKE: u32 = 75, "hundredths of the weight of shared words",
        "wrong results on real merges began there",
        "less alike rows are taken for two things";
    /// Re-worded rows whose substitutions are made again in new rows.
    SUBSTITUTED_ROWS: usize = 60, "rows",
        "a side that re-worded more did more than one consistent thing",
        "the first ones count";
    /// Lines around a conflict in which a name may still be declared.
    NAME_LINES: u32 = 20, "lines",
        "judged by eye: about half a screen",
        "a name that stands further off counts as gone";
    /// New rows that are looked at for names that are gone.
    NEW_NAME_ROWS: usize = 12, "rows",
        "judged by eye: more rows declare names of their own",
        "longer insertions are taken to stand by themselves";
    /// Different names of calls that are tried for a formula.
    FORMULA_CALLS: usize = 8, "names",
        "real formulas change calls of one name",
        "no formula is told";
    /// Width beyond which a longer import may be laid out in several lines.
    IMPORT_COLUMNS: usize = 79, "columns",
        "the narrowest width that formatters keep to by default",
        "the merged import is likely, not certain";

    /// Conflicts of a plan up to which lines are matched by rarity too.
    SECOND_LOOK_CONFLICTS: usize = 16, "conflicts",
        "0 of 1,569 clean merges of git differed with it, 6 without it",
        "the plan stands as the first matching has it";
    /// Equal lines in a row that part one conflict in two.
    COMMON_RUN_LINES: usize = 3, "lines",
        "closing brackets and blank lines recur in runs of two",
        "shorter runs stay inside of the conflict";
    /// Pairs of base line and part up to which base is shared out by words.
    SHARED_OUT_PAIRS: usize = 20_000, "pairs",
        "judged, not measured: a hundred parts of two hundred rows",
        "all of base goes to the first part that differs";
    /// Rows of base from which on a conflict is cut around the rows that clash.
    PARTITIONED_ROWS: usize = 16, "rows",
        "judged by eye: a shorter conflict is seen at once",
        "a shorter conflict stays whole";
    /// Rows of base that a part must have to stand by itself.
    PART_ROWS: u32 = 6, "rows",
        "judged by eye: shorter parts tear apart what belongs together",
        "shorter parts stay with what clashes";
    /// Parts up to which a conflict is cut at all.
    PARTS: usize = 400, "parts",
        "judged by eye: sides with more parts have little in common",
        "the conflict stays whole";

    /// Lines of a side up to which its words are offered at the other's indentation.
    REINDENTED_ROWS: usize = 400, "lines",
        "nobody looks over more",
        "the choice is not offered, and its key says so";
    /// Unchanged words between two changes from which on they are independent.
    INDEPENDENT_WORDS: usize = 2, "words",
        "blends of closer changes were wrong too often on real merges",
        "the blend is likely, not certain";
    /// Length from which on a line does not stand in many places.
    DISTINCTIVE_BYTES: usize = 20, "bytes",
        "shorter lines recur in real files",
        "shorter lines are not looked for elsewhere";
    /// Lines that both sides put in at different places, from which on they are one text.
    SAME_TEXT_LINES: usize = 5, "lines",
        "judged by eye on real merges",
        "fewer may be a coincidence";
    /// Lines that must stand together elsewhere to count as moved.
    MOVED_LINES: usize = 2, "lines",
        "single lines recur",
        "no hint about moved lines";
    /// Places of a line that are looked at for moved lines.
    MOVED_PLACES: usize = 16, "places",
        "a line that stands in more says nothing",
        "no hint about moved lines";
    /// Rows of a conflict whose words are looked over across line breaks.
    REWRAPPED_ROWS: usize = 16, "rows",
        "statements wrapped anew are shorter",
        "the rule stays silent";
    /// Lines around a conflict that are looked at as part of its list.
    LIST_NEIGHBOURS: u32 = 3, "lines",
        "judged by eye",
        "the order of lines further off does not count";
    /// Lines of a list from which on their order is no accident.
    ORDERED_LINES: usize = 3, "lines",
        "two lines are in order half the time",
        "the result is likely, not certain";
    /// Entries of a list from which on their order is no accident.
    ORDERED_ENTRIES: usize = 5, "entries",
        "entries are less often kept in order than imports",
        "the rule stays silent";
    /// Tokens of a conflict that differ in numbers alone.
    NUMBER_TOKENS: usize = 400, "tokens",
        "judged by eye: versions and dates stand in short lines",
        "the rule stays silent";

    /// Bytes of a line that is looked for by the account of lines.
    AUDITED_LINE_BYTES: usize = 2_000, "bytes",
        "longer lines are data",
        "a longer line is not reported as missing or doubled";

    /// Words of a single line, above which it is reported that it stands twice.
    DOUBLED_WORDS: usize = 4, "words",
        "read from real merges: shorter statements recur, unless they declare or import something",
        "a shorter line is told only among others";

    /// Lines of a merge above which a result is compared with it for the shortest difference, not by
    /// rare lines.
    HISTOGRAM_LINES: usize = 20_000, "lines",
        "a million lines with 5,000 conflicts took 22 seconds by rare lines",
        "a line may be found in another place of its like";

    /// Lines of a conflict, or of what a rule makes of it, that the second witness looks at.
    WITNESS_LINES: usize = 5_000, "lines",
        "a millisecond for every thousand",
        "what a rule proposes is a hint only";

    /// Lines before and behind a finding that are kept with it.
    SURROUNDING_LINES: usize = 6, "lines",
        "as many as the lower part of Proof shows on a usual screen",
        "no more are shown";
    /// Characters of such a line.
    SURROUNDING_CHARS: usize = 400, "characters",
        "wider than any screen",
        "the rest is not shown";

    /// Findings about what a file lost, has again or has twice.
    TRACED_FINDINGS: usize = 200, "findings",
        "nobody reads more of them one by one: the file was not merged but replaced",
        "the first ones are told";

    /// Signs of the shortest marker that is looked for in a file that is opened by itself.
    LEAST_MARKER: usize = 3, "signs",
        "shorter runs of these signs stand in ordinary code",
        "shorter ones are text";
    /// Lengths of markers that are tried on such a file.
    TRIED_MARKERS: usize = 16, "lengths",
        "judged, not measured: nested conflicts add two signs a level",
        "the file is read with markers of seven signs";

    /// Bytes of one file of the store under the git folder.
    STORED_BYTES: usize = 64_000_000, "bytes",
        "judged, not measured: a journal of a day holds some 100,000",
        "the file is not read, and the error names it";
    /// Copies of replaced working files that are kept under the git folder.
    KEPT_COPIES: usize = 5_000, "files",
        "a merge of 1,000 files, five times over",
        "the oldest go";
    /// Journals of concluded operations that are kept.
    KEPT_JOURNALS: usize = 2_000, "files",
        "two merges of 1,000 files",
        "the oldest go";
    /// Records of what was decided in concluded operations that are kept.
    KEPT_RECORDS: usize = 200, "commits",
        "the steps of several long rebases; a record of 1,000 files has about 1 MB",
        "the oldest go";
    /// Settled conflicts that a repository remembers.
    REMEMBERED_CONFLICTS: usize = 2_000, "conflicts",
        "judged, not measured: a year of conflicts for one person",
        "the oldest are forgotten; 'armistice memory' lists what is left";
    /// Bytes of settled conflicts that a repository remembers.
    REMEMBERED_BYTES: usize = 8_000_000, "bytes",
        "judged, not measured: 4,000 bytes for each",
        "the oldest are forgotten";
    /// Private repositories of loose files that are kept.
    LOOSE_REPOSITORIES: usize = 50, "folders",
        "a working day of loose files",
        "the oldest go";

    /// Bytes of a repository's own settings file.
    REPOSITORY_SETTINGS_BYTES: usize = 65_536, "bytes",
        "judged, not measured: 20 checks take 2 kB",
        "the file is refused and Proof says so";
    /// Checks that one settings file may name.
    PROJECT_CHECKS: usize = 20, "checks",
        "a person must be able to read all before trusting them",
        "the file is refused and Proof says so";
    /// Lines of a command's output that are kept while it runs.
    OUTPUT_LINES: usize = 20_000, "lines",
        "a failing test run of a large project",
        "the first are left out, and it says how many";
    /// Bytes of one line of a command's output.
    OUTPUT_LINE_BYTES: usize = 2_000, "bytes",
        "judged, not measured: ten rows of a wide terminal",
        "the rest of the line is left out";
    /// Lines of a command's output that are kept with its verdict.
    STORED_OUTPUT_LINES: usize = 400, "lines",
        "judged, not measured: the end of the output says what failed",
        "only the last are there when the program is opened again";

    /// Steps of undo in the editor.
    EDITOR_STEPS: usize = 10_000, "steps",
        "more than a day of typing",
        "the oldest cannot be undone";
    /// Lines of one region that the cards show.
    CARD_LINES: usize = 2_000, "lines",
        "judged, not measured: some fifty screens of lines",
        "'n lines more' stands below";
    /// Bytes of a side in which one replacement is looked for, for its card.
    CARD_FORMULA_BYTES: usize = 8_000, "bytes",
        "judged, not measured: longer sides are not told in one sentence",
        "the card counts lines instead";
    /// Bytes of a version whose lines are traced to commits.
    BLAMED_BYTES: usize = 2_000_000, "bytes",
        "judged, not measured: git takes seconds for the history of longer files",
        "the commits that touch the file are told, not those of its lines";
    /// Lines of one file that are listed as given up.
    GIVEN_UP_LINES: usize = 10_000, "lines",
        "judged, not measured: nobody reads more",
        "they are counted, and not listed";
    /// Rows of one file that the staged result shows against a parent.
    STAGED_DIFF_LINES: usize = 50_000, "rows",
        "judged, not measured: a thousand screens",
        "'n rows more' stands below";
    /// Settled conflicts that a question lists.
    LISTED_CONFLICTS: usize = 12, "lines",
        "fits into a terminal of 24 rows",
        "'and n more' stands below";
    /// Likeness from which on a file that is gone is taken for a new one under another name.
    RENAME_LIKENESS: u8 = 50, "per cent of the larger file's bytes",
        "the likeness at which git follows a rename: its stages are to be understood",
        "they are two files: one removed, one added";
    /// Files that are gone or new on a side, up to which renames are looked for.
    RENAME_CANDIDATES: usize = 20_000, "files",
        "judged, not measured: a tree that was moved as a whole",
        "each unmerged path is a case of its own, without its former name";
    /// Files whose declarations Terrain shows.
    TERRAIN_FILES: usize = 400, "files",
        "judged, not measured: each is parsed three times",
        "how many were left out is told";
    /// Files of code that both sides together changed up to which names that went are looked for.
    NAMED_FILES: usize = 3000, "files",
        "judged, not measured: their words are counted in all four versions",
        "names that went are not looked for";
    /// Names that a side no longer declares that are looked for in what the other wrote.
    NAMES_GONE: usize = 60, "names",
        "judged, not measured: each asks git once where it still stands",
        "names that went are not looked for, and nothing is said of them";
    /// Files with one line, or one content, beyond which it tells no renames.
    COMMON_LINE_FILES: usize = 50, "files",
        "judged, not measured: lines of licences and closing brackets stand in more",
        "the line is not counted; of equal files only those of one name are paired";
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_limit_says_what_it_counts_what_it_rests_on_and_what_comes_of_it() {
        let mut names = BTreeSet::new();
        for limit in LIMITS {
            assert!(names.insert(limit.name), "{} stands twice", limit.name);
            assert!(limit.value > 0, "{}", limit.name);
            let texts = [limit.unit, limit.basis, limit.beyond];
            assert!(texts.iter().all(|t| t.len() > 3), "{}", limit.name);
        }
        assert!(names.contains("CONFLICT_ROWS"));
    }
}
