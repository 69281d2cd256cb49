//! The questions, each with the event that asks it.
//!
//! None of them breaks the standard but those about ids that come twice: a destination that
//! refuses a file for one event of it would answer nothing at all.

/// What is asked. Declared in the order of the file: what a destination may refuse comes
/// first, so that it tells from what is missing at the end how many events it takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs, reason = "the titles in the list below say it")]
pub enum Ask {
    Utc,
    Helsinki,
    Stockholm,
    NewYork,
    Tokyo,
    OwnZone,
    OtherZoneName,
    Moment,
    NoLength,
    Cancelled,
    Weekly,
    WeeklyUntil,
    EveryThirdDay,
    MonthDay,
    MonthWeekday,
    MonthEnd,
    Yearly,
    SeveralWeekdays,
    LastWorkday,
    Endless,
    EndlessLater,
    ExceptFirst,
    ExceptOne,
    ExtraDate,
    ChangedDate,
    ChangedOnward,
    CancelledDate,
    SameId,
    SameIdAgain,
    Revision,
    RevisionAgain,
    Floating,
    OneDay,
    ThreeDays,
    DayWithoutEnd,
    DaysByLength,
    ByLength,
    OverMidnight,
    LongTitle,
    LongPlace,
    Text200,
    Text2000,
    Text40000,
    LineBreaks,
    Letters,
    Markup,
    Categories,
    EightReminders,
    ReminderAtTime,
    People,
    Private,
    Confidential,
    Free,
    Tentative,
    Link,
    Attachment,
    AttachmentInside,
    Details,
    OwnProperty,
    Last,
}

/// A question as a row of the list.
#[derive(Clone, Copy, Debug)]
pub struct Question {
    /// What it asks.
    pub ask: Ask,
    /// What stands in the title behind the number, for whoever looks at the calendar.
    pub title: &'static str,
    /// Its id, where it is not its own.
    pub(super) id_of: Option<Ask>,
    /// Its lines besides id, stamp and title. What stands in braces is put in by the writer.
    pub(super) lines: &'static str,
    /// An event of the same id that replaces one of its dates.
    pub(super) replaced: Option<&'static str>,
}

const fn asked(ask: Ask, title: &'static str, lines: &'static str) -> Question {
    Question { ask, title, id_of: None, lines, replaced: None }
}

const fn changed(ask: Ask, title: &'static str, lines: &'static str, replaced: &'static str) -> Question {
    Question { ask, title, id_of: None, lines, replaced: Some(replaced) }
}

const fn known(ask: Ask, id_of: Ask, title: &'static str, lines: &'static str) -> Question {
    Question { ask, title, id_of: Some(id_of), lines, replaced: None }
}

/// An hour on a clock of no zone: nobody refuses it, and nothing about it is special.
const HOUR: &str = "DTSTART:{day}T100000\nDTEND:{day}T110000\n";

/// In the order of the enum.
const QUESTIONS: [Question; 60] = [
    asked(Ask::Utc, "a time in UTC", "DTSTART:{day}T100000Z\nDTEND:{day}T110000Z\n"),
    asked(
        Ask::Helsinki,
        "a time in Helsinki",
        "DTSTART;TZID=Europe/Helsinki:{day}T100000\nDTEND;TZID=Europe/Helsinki:{day}T110000\n",
    ),
    asked(
        Ask::Stockholm,
        "a time in Stockholm",
        "DTSTART;TZID=Europe/Stockholm:{day}T100000\nDTEND;TZID=Europe/Stockholm:{day}T110000\n",
    ),
    asked(
        Ask::NewYork,
        "a time in New York",
        "DTSTART;TZID=America/New_York:{day}T100000\nDTEND;TZID=America/New_York:{day}T110000\n",
    ),
    asked(
        Ask::Tokyo,
        "a time in Tokyo",
        "DTSTART;TZID=Asia/Tokyo:{day}T100000\nDTEND;TZID=Asia/Tokyo:{day}T110000\n",
    ),
    asked(
        Ask::OwnZone,
        "a time on a clock that only this file knows",
        "DTSTART;TZID=Harbour clock:{day}T100000\nDTEND;TZID=Harbour clock:{day}T110000\n",
    ),
    asked(
        Ask::OtherZoneName,
        "a time in a zone under another name",
        "DTSTART;TZID=FLE Standard Time:{day}T100000\nDTEND;TZID=FLE Standard Time:{day}T110000\n",
    ),
    asked(Ask::Moment, "a moment, without an end", "DTSTART:{day}T100000\n"),
    asked(Ask::NoLength, "an end that is the start", "DTSTART:{day}T100000\nDTEND:{day}T100000\n"),
    asked(
        Ask::Cancelled,
        "an event that is cancelled",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nSTATUS:CANCELLED\n",
    ),
    asked(
        Ask::Weekly,
        "every week, 5 times",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=5\n",
    ),
    asked(
        Ask::WeeklyUntil,
        "every week until the end of March",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;UNTIL={year}0331T235959\n",
    ),
    asked(
        Ask::EveryThirdDay,
        "every third day, 6 times",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=DAILY;INTERVAL=3;COUNT=6\n",
    ),
    asked(
        Ask::MonthDay,
        "every month on day 15, 4 times",
        "DTSTART:{year}0115T100000\nDTEND:{year}0115T110000\nRRULE:FREQ=MONTHLY;BYMONTHDAY=15;COUNT=4\n",
    ),
    asked(
        Ask::MonthWeekday,
        "every month on the second Tuesday, 4 times",
        "DTSTART:{second tuesday}T100000\nDTEND:{second tuesday}T110000\nRRULE:FREQ=MONTHLY;BYDAY=2TU;COUNT=4\n",
    ),
    asked(
        Ask::MonthEnd,
        "every month on the last day, 4 times",
        "DTSTART:{year}0131T100000\nDTEND:{year}0131T110000\nRRULE:FREQ=MONTHLY;BYMONTHDAY=-1;COUNT=4\n",
    ),
    asked(
        Ask::Yearly,
        "every year, 3 times",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=YEARLY;COUNT=3\n",
    ),
    asked(
        Ask::SeveralWeekdays,
        "Monday, Wednesday and Friday, 6 times",
        "DTSTART:{monday}T100000\nDTEND:{monday}T110000\nRRULE:FREQ=WEEKLY;BYDAY=MO,WE,FR;COUNT=6\n",
    ),
    asked(
        Ask::LastWorkday,
        "the last working day of the month, 3 times",
        "DTSTART:{last workday}T100000\nDTEND:{last workday}T110000\nRRULE:FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=3\n",
    ),
    asked(
        Ask::Endless,
        "every week, without end",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY\n",
    ),
    asked(
        Ask::EndlessLater,
        "every week from June on, without end",
        "DTSTART:{year}0607T100000\nDTEND:{year}0607T110000\nRRULE:FREQ=WEEKLY\n",
    ),
    asked(
        Ask::ExceptFirst,
        "every week but the first, 4 times",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=5\nEXDATE:{day}T100000\n",
    ),
    asked(
        Ask::ExceptOne,
        "every week but one, 4 times",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=5\nEXDATE:{day+14}T100000\n",
    ),
    asked(
        Ask::ExtraDate,
        "every week, 3 times, and one more day",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=3\nRDATE:{day+3}T100000\n",
    ),
    changed(
        Ask::ChangedDate,
        "every week, one date in the afternoon",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=5\n",
        "RECURRENCE-ID:{day+7}T100000\nDTSTART:{day+7}T150000\nDTEND:{day+7}T160000\n",
    ),
    changed(
        Ask::ChangedOnward,
        "every week, from the third date on in the afternoon",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=5\n",
        "RECURRENCE-ID;RANGE=THISANDFUTURE:{day+14}T100000\nDTSTART:{day+14}T150000\nDTEND:{day+14}T160000\n",
    ),
    changed(
        Ask::CancelledDate,
        "every week, one date cancelled",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nRRULE:FREQ=WEEKLY;COUNT=5\n",
        "RECURRENCE-ID:{day+7}T100000\nDTSTART:{day+7}T100000\nDTEND:{day+7}T110000\nSTATUS:CANCELLED\n",
    ),
    asked(Ask::SameId, "the first of two with one id", HOUR),
    known(
        Ask::SameIdAgain,
        Ask::SameId,
        "the second of two with one id",
        "DTSTART:{day}T130000\nDTEND:{day}T140000\n",
    ),
    asked(Ask::Revision, "an event, before it was changed", HOUR),
    known(
        Ask::RevisionAgain,
        Ask::Revision,
        "the same event, changed",
        "DTSTART:{day}T130000\nDTEND:{day}T140000\nSEQUENCE:2\n",
    ),
    asked(Ask::Floating, "a time without a zone", HOUR),
    asked(Ask::OneDay, "a whole day", "DTSTART;VALUE=DATE:{day}\nDTEND;VALUE=DATE:{day+1}\n"),
    asked(Ask::ThreeDays, "three whole days", "DTSTART;VALUE=DATE:{day}\nDTEND;VALUE=DATE:{day+3}\n"),
    asked(Ask::DayWithoutEnd, "a whole day that states no end", "DTSTART;VALUE=DATE:{day}\n"),
    asked(Ask::DaysByLength, "two whole days by their length", "DTSTART;VALUE=DATE:{day}\nDURATION:P2D\n"),
    asked(Ask::ByLength, "an hour and a half by its length", "DTSTART:{day}T100000\nDURATION:PT1H30M\n"),
    asked(Ask::OverMidnight, "a night", "DTSTART:{day}T220000\nDTEND:{day+1}T060000\n"),
    asked(Ask::LongTitle, "a long title {text 985}", HOUR),
    asked(Ask::LongPlace, "a long place", "DTSTART:{day}T100000\nDTEND:{day}T110000\nLOCATION:{text 1000}\n"),
    asked(
        Ask::Text200,
        "a description of 200 characters",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nDESCRIPTION:{text 200}\n",
    ),
    asked(
        Ask::Text2000,
        "a description of 2 000 characters",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nDESCRIPTION:{text 2000}\n",
    ),
    asked(
        Ask::Text40000,
        "a description of 40 000 characters",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nDESCRIPTION:{text 40000}\n",
    ),
    asked(
        Ask::LineBreaks,
        "a description of three lines",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nDESCRIPTION:first line\\nsecond line\\nthird line\n",
    ),
    asked(
        Ask::Letters,
        "letters of many scripts",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nDESCRIPTION:Åland Łódź Αθήνα Київ 港 القاهرة ⚓\n",
    ),
    asked(
        Ask::Markup,
        "a description with markup",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nDESCRIPTION:<b>bold</b> &amp\\; <i>not</i>\n",
    ),
    asked(
        Ask::Categories,
        "two categories",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nCATEGORIES:Deck,Engine\n",
    ),
    asked(
        Ask::EightReminders,
        "eight reminders",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\n{eight reminders}",
    ),
    asked(
        Ask::ReminderAtTime,
        "a reminder at a stated time",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\n\
         BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER;VALUE=DATE-TIME:{day}T060000Z\nEND:VALARM\n",
    ),
    asked(
        Ask::People,
        "one who asks and one who is asked",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nORGANIZER:mailto:aino@example.org\nATTENDEE:mailto:olof@example.org\n",
    ),
    asked(Ask::Private, "a private event", "DTSTART:{day}T100000\nDTEND:{day}T110000\nCLASS:PRIVATE\n"),
    asked(
        Ask::Confidential,
        "a confidential event",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nCLASS:CONFIDENTIAL\n",
    ),
    asked(
        Ask::Free,
        "an event in which one is free",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nTRANSP:TRANSPARENT\n",
    ),
    asked(
        Ask::Tentative,
        "a tentative event",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nSTATUS:TENTATIVE\n",
    ),
    asked(
        Ask::Link,
        "an address on the web",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nURL:https://example.org/quay\n",
    ),
    asked(
        Ask::Attachment,
        "an attachment elsewhere",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nATTACH:https://example.org/plan.pdf\n",
    ),
    asked(
        Ask::AttachmentInside,
        "an attachment inside",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nATTACH;ENCODING=BASE64;VALUE=BINARY;FMTTYPE=text/plain:UXVheSA0\n",
    ),
    asked(
        Ask::Details,
        "all other details",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nCONFERENCE;VALUE=URI:https://example.org/call\n\
         RESOURCES:Crane\nCONTACT:The harbour office\nCOMMENT:By the ramp\nPRIORITY:3\nGEO:60.1;19.9\nCOLOR:teal\n\
         IMAGE;VALUE=URI:https://example.org/ship.png\nRELATED-TO:{id of last}\n",
    ),
    asked(
        Ask::OwnProperty,
        "a property that no standard knows",
        "DTSTART:{day}T100000\nDTEND:{day}T110000\nX-EMVO-BERTH:4\n",
    ),
    asked(Ask::Last, "the last of these events", HOUR),
];

/// All questions, in the order of the file.
pub fn questions() -> impl Iterator<Item = &'static Question> {
    QUESTIONS.iter()
}

impl Ask {
    /// Its number in titles and ids, from 1.
    pub fn number(self) -> usize {
        self as usize + 1
    }

    /// The question of this number.
    pub(super) fn of_number(number: usize) -> Option<Self> {
        QUESTIONS.get(number.checked_sub(1)?).map(|question| question.ask)
    }

    /// What stands in the title behind the number, without long texts.
    pub fn title(self) -> &'static str {
        let title = QUESTIONS[self as usize].title;
        title.split(" {").next().unwrap_or(title)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_question_stands_at_its_number() {
        for (at, question) in questions().enumerate() {
            assert_eq!(question.ask as usize, at, "{}", question.title);
            assert_eq!(Ask::of_number(at + 1), Some(question.ask));
        }
        assert_eq!(Ask::of_number(0), None);
        assert_eq!(Ask::Last as usize + 1, QUESTIONS.len());
        assert_eq!(Ask::LongTitle.title(), "a long title");
    }
}
