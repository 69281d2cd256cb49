//! What is done to the calendars: commands with their options, and what they take
//! out as was asked.

/// What some destinations take.
pub(crate) const LIMITS: [(&str, &str); 3] = [
    ("small.toml", "description_characters = 12\nattendees = false\nreminders = false\n"),
    ("plain.toml", "series = \"plain\"\nzones = \"one\"\nzone = \"Europe/Stockholm\"\nevents_per_file = 2\n"),
    ("single.toml", "series = \"none\"\nattachments = false\n"),
];

/// What is done, and what it takes out as was asked.
pub(crate) struct Job {
    pub(crate) words: &'static str,
    pub(crate) asked: Asked,
}

#[derive(Clone, Copy)]
pub(crate) enum Asked {
    Nothing,
    /// Everything of the first file, and of events of the second that have its ids
    /// or titles.
    First,
    /// Everything of an event of this title.
    Title(&'static str),
    /// Everything of an event of another title.
    OtherTitles(&'static str),
    /// Lines of these names.
    Lines(&'static [&'static str]),
}

const fn job(words: &'static str) -> Job {
    Job { words, asked: Asked::Nothing }
}

pub(crate) const JOBS: [Job; 53] = [
    job("convert 0.ics 1.ics -o out.ics"),
    job("convert 0.ics 1.ics -o out/"),
    job("convert 0.ics 1.ics -o out.csv"),
    job("convert 0.ics -o out.jsonl"),
    job("convert 0.ics --unroll -o out.ics"),
    job("convert 0.ics --roll -o out.ics"),
    job("convert 0.ics --express-in Europe/Helsinki -o out.csv"),
    job("convert 0.ics --limits small.toml -o out.ics"),
    Job {
        words: "convert 0.ics --leave-out url,reminder -o out.csv",
        asked: Asked::Lines(&["URL", "VALARM"]),
    },
    job("merge 0.ics 1.ics -o out.ics"),
    job("merge 0.ics 1.ics -o out.csv"),
    job("merge 0.ics 1.ics --duplicates keep -o out.ics"),
    job("merge 0.ics 1.ics --name All --color teal -o out.ics"),
    job("merge 0.ics 1.ics --private --busy --uids fresh --add-category Skarvik -o out.ics"),
    job("merge 0.ics 1.ics --review pairs.csv -o out.ics"),
    job("merge 0.ics --into 1.ics -o out.ics"),
    job("merge 0.ics --into 1.ics --clash incoming -o out.ics"),
    job("merge 0.ics --into 1.ics --clash newest -o out.ics"),
    job("merge 0.ics --into 1.ics --clash both -o out.ics"),
    job("merge 0.ics 1.ics --limits small.toml -o out.ics"),
    Job {
        words: "merge 0.ics 1.ics --invitations drop --attachments drop --reminders drop -o out.ics",
        asked: Asked::Lines(&["ATTENDEE", "ORGANIZER", "ATTACH", "VALARM"]),
    },
    job("repair 0.ics 1.ics -o out/"),
    job("repair 0.ics --consent all -o out.ics"),
    job("repair 0.ics --zone Europe/Helsinki --consent all -o out.csv"),
    job("amend 0.ics --set location=Berth --set description=New -o out.ics"),
    job("amend 0.ics --replace description:About=Of --add-category Crew --remove-category Crew -o out.ics"),
    job("retime 0.ics --shift 1h -o out.ics"),
    job("retime 0.ics --express-in Europe/Helsinki -o out.ics"),
    job("retime 0.ics --to-dates -o out.ics"),
    job("retime 0.ics --read-as Europe/Stockholm -o out.csv"),
    Job { words: "drop 0.ics --title Crossing -o out.ics", asked: Asked::Title("Crossing") },
    Job { words: "drop 0.ics --title 1 -o out.ics", asked: Asked::Title("Crossing 1") },
    Job { words: "pick 0.ics --title 1 -o out.ics", asked: Asked::OtherTitles("Crossing 1") },
    // A calendar of which nothing is picked has no part.
    Job {
        words: "pick 0.ics 1.ics --split-by month -o out/",
        asked: Asked::Lines(&["X-WR-CALNAME", "X-WR-CALDESC", "X-HOUSE", "IMAGE"]),
    },
    Job { words: "pick 0.ics --attachments drop -o out.ics", asked: Asked::Lines(&["ATTACH"]) },
    job("pick 0.ics --uids fresh -o out.ics"),
    job("convert 0.ics --limits plain.toml -o out.ics"),
    job("convert 0.ics --limits single.toml -o out/"),
    job("merge 0.ics 1.ics --limits single.toml -o out.csv"),
    job("amend 0.ics --set location= --from 2026-01-10 --until 2026-01-20 -o out.ics"),
    job("repair 0.ics --consent all --from 2026-01-10 --until 2026-01-20 -o out.ics"),
    job("retime 0.ics --pin Europe/Helsinki --from 2026-01-10 --until 2026-01-20 -o out.ics"),
    Job {
        words: "drop 0.ics --title 1 --on 2026-01-12 --reach onward -o out.ics",
        asked: Asked::Title("Crossing 1"),
    },
    Job {
        words: "pick 0.ics --from 2026-01-01 --until 2026-12-31 --split-by 1 -o out/",
        asked: Asked::Lines(&["X-WR-CALNAME", "X-WR-CALDESC", "X-HOUSE", "IMAGE"]),
    },
    job("convert 0.ics 1.ics --unroll --express-in Europe/Helsinki -o out.csv"),
    job("run plan.toml"),
    Job { words: "retract 0.ics --out-of 1.ics -o out.ics", asked: Asked::First },
    job("convert 2.csv -o out.ics"),
    job("convert 2.csv --zone Europe/Helsinki -o out.csv"),
    job("merge 0.ics 2.csv --zone UTC -o out.ics"),
    job("merge 2.csv --into 1.ics --zone UTC -o out.ics"),
    job("repair 2.csv --zone UTC --consent all -o out.ics"),
    job("convert 2.csv --limits small.toml -o out.ics"),
];

/// A whole move of both files.
pub(crate) const PLAN: &str = "[[source]]\npath = \"0.ics\"\ninto = \"quay\"\n\n[[source]]\npath = \"1.ics\"\ninto = \"quay\"\n\n\
    [[destination]]\nname = \"quay\"\npath = \"out.ics\"\n";
