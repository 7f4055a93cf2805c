"""Why a handler is wrapped and not rewritten, and what a rewriting takes for granted: codes with reason and remedy."""

from __future__ import annotations

from typing import Final

from vast_ferry.hub.findings import Severity

#: Why a function is wrapped as it is: code → (reason, remedy).
STOPS: Final = {
    "script": ("a script is a process of its own", "Make a function of it, and carry the project again"),
    "unreadable": ("its file can't be read", "Mend the file"),
    "not-importable": ("its file's name is no module name", "Rename the file"),
    "several-kinds": ("it is called with events of several kinds", "Give each kind a handler of its own"),
    "bindings": ("its parameters are named by bindings", "Nothing: what they name is handed to it"),
    "no-definition": ("its handler is not defined by `def` at the top of its file", "Define it there"),
    "no-kind": ("the target has no such events", "Leave it where it is"),
    "too-entangled": (
        "what it does with the event could not be followed to an end",
        "Simplify how the event is passed",
    ),
    "not-by-hand": (
        "{}; that is translated, but not yet written as a person would",
        "Keep the wrapper, or write the handler anew by hand and check it",
    ),
    "class-inside": (
        "a class inside it uses the event, or the provider",
        "Move the class out, and hand it what it needs",
    ),
    "provider-inherited": (
        "a class of the project inherits from one of the provider's",
        "Make answers by calling the provider's own class",
    ),
    "runs-a-loop": (
        "it runs an event loop, which fails inside of one, and the target's handlers run in one",
        "Make the handler a coroutine function that awaits",
    ),
    "at-definition": (
        "a default value, or a decorator, of a function inside it uses the event",
        "Hand it over when the function is called",
    ),
    "text-of-itself": (
        "a text shows the source of an expression as well (`{name=}`), and that source is another at the target",
        "Write what it shall show",
    ),
    "star-import": ("it imports all names of a module", "Name what is imported"),
    "event-changed": ("it changes the event", "Put what is changed into a variable of its own"),
    "provider-changed": ("it changes a class or a module of the provider", "Take the change out"),
    "identity": (
        "it asks whether two things of the event are one and the same object, and each is made where it is read",
        "Compare them by `==`",
    ),
    "equality": (
        "it asks whether things of the event are equal that are so only if they are one and the same object, and each "
        "is made where it is read",
        "Compare what tells them apart, as their ids",
    ),
    "hidden-names": ("code that is made while it runs may use the event", "Take `exec` and `eval` out"),
    "rebound": ("a name holds the event at one time and something else at another", "Give the two names"),
    "never-there": (
        "it reads what the provider never gives: {}",
        "Correct the name; it fails, or is nothing, as it is",
    ),
    "arguments-hidden": ("arguments are passed on by `*` or `**`", "Name them"),
    "untold": ("the profile tells nothing of {}, which it uses", "Write rows for it into the profile"),
    "takes-less": (
        "it does not take {}, which is handed over too: where it is now, every call of it fails",
        "Add what is missing to its parameters, and carry the project again",
    ),
    "signature": ("its parameters are more than the event and what is told of the call", "Take the others out"),
    "decorated": ("a decorator stands between the provider and it", "Call what it does in the handler"),
    "client-passed": ("a client is handed on as a value", "Call it where it is named"),
    "at-import": ("the provider is called when the module is imported", "Call it in the handler"),
    "service-unseen": (
        "{} may run, called in a way that can't be followed, and calls a service that the target reaches otherwise",
        "Call it by its name, or import it by its module's name",
    ),
    "awaits-inside": ("it would have to await inside a lambda or a generator", "Make a loop of it"),
    "awaits-others": ("it awaits what is not the provider's", "Await nothing else, or keep it asynchronous"),
    "content-read-twice": ("the content can be read only once at the target", "Read it once, into a variable"),
    "coroutine-given": (
        "a plain function of the project returns a coroutine, and it can't be seen that whoever calls it awaits that",
        "Make it `async def`, and await what it returns",
    ),
    "made-at-each-read": (
        "it reads in several places what the target never gives, as an event's identity, and each would make another",
        "Read it once, into a variable, and hand that on",
    ),
    "object-made-twice": (
        "it hands on the event, which is equal to itself alone, in several places, and each would make another",
        "Hand on what is read of the event, or hand the event on once",
    ),
    "name-taken": ("a name that is needed means something else in this file", "Rename it"),
    "no-such-field": ("the target has no form of", "Do without it"),
    "setting-elsewhere": (
        "it uses the environment in a way that can't be written where the target keeps settings elsewhere",
        "Read each by its name, in the handler",
    ),
    "method-passed": ("a method of the context is handed on as a value", "Call it where it is named"),
    "no-function-name": ("it asks for its function's name and serves several", "Write the name out"),
    "no-time-left": ("the target does not tell what time is left", "Write a limit of its own"),
    "no-service": ("the target has no service for it", "Leave it where it is, or find another service"),
    "argument-lost": ("the target's client has no place for an argument", "Keep what it says some other way"),
    "result-form": ("what {} gives back stands otherwise than what it was written for", "Call it where it can be read"),
    "argument-form": ("an argument can't be given as the target's client takes it", "Simplify the call"),
    "text-or-bytes": ("it can't be told whether a content is text or bytes", "Encode it in the handler"),
    "pieces-unknown": (
        "a content comes piece by piece, and whether they are text or bytes can't be told",
        "Give literals, formatted texts or what is encoded",
    ),
    "quotes": ("a formatted text would have to hold its own quotes", "Put the value into a variable first"),
    "passed-on": ("a function of the project that needs more at the target is handed on as a value", "Call it"),
    "one-line": ("its body stands on the line of its `def`, and needs one before it", "Put it on lines of its own"),
    "services-by-steps": (
        "it calls services by steps, and the target's are reached by way of what a handler is handed, or awaited",
        "Call the target's own client there",
    ),
    "steps-at-target": (
        "it calls a service that the target reaches step by step, and hands what it gives on",
        "Call {} there",
    ),
    "content-as-stream": (
        "it takes the content as a stream that is read once, or hands it on as a part of something",
        "Read the content as text, bytes or JSON, where it is needed",
    ),
    "class-used": (
        "its class is a handler's, and is used otherwise as well: {}",
        "Leave the class to the provider, and put what others need into functions",
    ),
    "set-up-told": (
        "what sets its object up needs what is told of a call, and there is none yet",
        "Read it when an event is handled",
    ),
    "answers-in-pieces": (
        "it is a generator, and gives its answer piece by piece",
        "Return the answer whole, or with a generator as its content",
    ),
    "answer-raised": (
        "an answer is raised where something may catch it, or its class is used otherwise than to raise it",
        "Raise it in the handler itself, outside of any `try` and `with`, or return the answer",
    ),
    "taken-by-name": (
        "it takes {} by name, otherwise than one by one or as a whole, or not all that its route captures",
        "Take each by its name, or all as `**{}`, in a function without decorators that nobody else calls",
    ),
    "answer-raised-anywhere": (
        "an error that is not the provider's own is an answer there ({}), and any line may raise it",
        "Leave it wrapped: what it raises is answered there as before",
    ),
    "reply-unknown": ("an answer is put together in a way that could not be followed", "Return it as a literal"),
    "headers-unknown": ("it can't be told which header fields an answer has", "Name them in a literal"),
    "headers-repeat": ("an answer repeats a header field, which the target can't", "Join the values"),
    "batch-escapes": ("a whole batch is handed on", "Hand on its events"),
    "shares": ("it shares code with a function that is wrapped", "See why that one is wrapped"),
    "could-not-follow": ("it could not be followed", "Tell us: this is a mistake of ours"),
    "could-not-write": ("what was written was not Python", "Tell us: this is a mistake of ours"),
}

#: What a rewritten function takes for granted: code → (severity, reason, remedy).
NOTES: Final = {
    "pieces-joined": (
        Severity.NOTE,
        "a content was sent piece by piece; at {target} it is put together first",
        "Make sure that it is not too large, and that nobody waits for its first piece",
    ),
    "content-perhaps-no-text": (
        Severity.NOTE,
        "what is answered as content may be neither text nor bytes; {source} refuses that, {target} may take it",
        "Make a text of it in the handler, or make sure that it is one",
    ),
    "charset-not-seen": (
        Severity.NOTE,
        "the type of a text content is told only while the handler runs; where it names another charset than UTF-8, "
        "{target} may write the text in another than {source}",
        "Name UTF-8 there, or no charset",
    ),
    "field-perhaps-no-text": (
        Severity.NOTE,
        "a header field's value may be no text; {source} refuses that, {target} may make a text of it, or leave it out",
        "Make a text of it in the handler, or make sure that it is one",
    ),
    "answer-perhaps-half-told": (
        Severity.NOTE,
        "a part of the answer is told when this is worked out; should it fail (nothing is asked for a part, what can't "
        "be written as JSON), that part belongs at {source} to the answer that is given then, and at {target} it does "
        "not",
        "Work it out before the answer is begun, or make sure that it can't fail",
    ),
    "field-refused-sooner": (
        Severity.NOTE,
        "a header field whose value can't be sent (a line end, a control, what is no Latin-1) is refused at {target} "
        "where the answer is made, and at {source} when it is given",
        "Make sure that what comes from outside is encoded",
    ),
    "own-loop": (
        Severity.NOTE,
        "it stays a coroutine, which an event loop of its own runs to its end for each call at {target}",
        "Make sure that nothing it begins has to go on after it has answered",
    ),
    "one-after-another": (
        Severity.NOTE,
        "what was awaited together is done one after the other at {target}: it takes longer, and where one fails, "
        "those after it are not begun",
        "Make sure that none relies on another's having begun",
    ),
    "charset-assumed": (
        Severity.NOTE,
        "content is read as UTF-8, whatever charset its type names",
        "Decode by the charset of the content's type if callers send others",
    ),
    "json-in-utf-8": (
        Severity.NOTE,
        "JSON is taken to be UTF-8, as RFC 8259 §8.1 asks; in another charset, or where it is no text, {target} may "
        "read or refuse it otherwise than {source}",
        "Nothing, unless callers send JSON in other charsets",
    ),
    "bytes-as-they-came": (
        Severity.NOTE,
        "text of another charset than UTF-8 was turned into UTF-8 at {source}; at {target} its bytes are as they came",
        "Nothing, unless callers send other charsets",
    ),
    "base64-not-seen": (
        Severity.NOTE,
        "content that is not textual came as Base64 text at {source}; at {target} it comes as it is",
        "Nothing, unless callers rely on the Base64",
    ),
    "finer-time": (
        Severity.NOTE,
        "times end at milliseconds at {source}; at {target} they may be finer",
        "Cut them where that matters",
    ),
    "header-never-found": (
        Severity.NOTE,
        "header fields had names in lower case, so this one was never found; it stands as that",
        "Correct the name if it was meant to be found",
    ),
    "header-not-given": (
        Severity.NOTE,
        "{source} does not hand over this header field (Host, or what follows from the content): it is never found, "
        "and stands as that",
        "Read the authority, or measure the content, if that was meant",
    ),
    "time-left-unknown": (
        Severity.LOSS,
        "nothing tells the time that is left at {target}; the function's whole limit stands in its place",
        "Count the time in the handler where it matters",
    ),
    "no-answer": (
        Severity.NOTE,
        "the handler may end here without an answer, which fails at {source}; at {target} it answers 204",
        "Return an answer on every way",
    ),
    "client-as-it-was": (
        Severity.NOTE,
        "a client is handed on as a value, or called with arguments that are spread: it stays that of {source}, and "
        "reaches the services of {target} by a module that comes along",
        "Call it where it is named, with each argument written out, to have the target's own call there",
    ),
    "services-by-module": (
        Severity.NOTE,
        "services are called by steps on what {source} hands over: a module that comes along stands for it, and "
        "reaches the services of {target}",
        "Keep the module; or call the target's own client there",
    ),
    "stands-twice": (
        Severity.NOTE,
        "{what} stands twice: rewritten, and as it was for handlers that are wrapped",
        "See why those are wrapped; without them the second copy goes",
    ),
    "answer-twice": (
        Severity.NOTE,
        "{what} stands twice: it makes the target's answers, and as it was what some callers change before they answer",
        "Let those callers give it what they change, or leave both as they are",
    ),
    "decorator-written-out": (
        Severity.NOTE,
        "the decorator {what} is written out, and what it gives has the function's name: it hands that something else "
        "than the provider does, stands before others in another order, or hides what it needs at the target",
        "Nothing is to be done; read both functions",
    ),
    "property-called": (
        Severity.NOTE,
        "the property {what} is a method: at the target it needs more than its object, or waits",
        "Nothing is to be done; read where it is called",
    ),
    "lookup-written-out": (
        Severity.NOTE,
        "the calls of {what} are written out: it looks up any name, and each call looks up one that is known",
        "Nothing is to be done; read what stands in their place",
    ),
    "changed-in-place": (
        Severity.NOTE,
        "a part of the event is changed in place: what {target} hands over is changed so too, which has to let that be",
        "Copy it first (`dict(...)`) to change what is the handler's own",
    ),
    "layers-apart": (
        Severity.NOTE,
        "what a function put around the handler {what} stands before it one by one",
        "Nothing is to be done; read the order in which they stand",
    ),
    "function-defined": (
        Severity.NOTE,
        "{what} is written as the function that it is: another function made it",
        "Nothing is to be done; read what stands in its place",
    ),
    "handler-defined": (
        Severity.NOTE,
        "the handler {what} is written as the function that it is: a statement gave it",
        "Nothing is to be done; read what stands in its place",
    ),
    "in-full": (
        Severity.NOTE,
        "{what} is written in full, as a loop or as a function that has a name: what it calls has to be followed, or "
        "waited for",
        "Nothing is to be done; read what stands in its place",
    ),
    "decorator-twice": (
        Severity.NOTE,
        "the decorator {what} stands twice: rewritten for handlers, and as it was for other functions",
        "Nothing is to be done; give those a decorator of their own to tell them apart",
    ),
    "by-a-function": (
        Severity.NOTE,
        "{what} goes through a function that comes along: at {target} it takes more than an expression",
        "Nothing",
    ),
    "made-as-it-was": (
        Severity.NOTE,
        "{what} is made as it was, by an emitted function: what uses it could not be followed",
        "Use its parts by name to have them in the target's own form",
    ),
}


def note(code: str, source: str, target: str, what: str = "") -> tuple[Severity, str, str]:
    """Return severity, reason and remedy of what is taken for granted between two providers, by their titles."""
    severity, reason, remedy = NOTES[code]
    return severity, reason.format(source=source, target=target, what=what), remedy
