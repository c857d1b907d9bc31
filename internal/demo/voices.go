package demo

import (
	"hash/fnv"
	"time"

	"trundo/internal/carrier/sim"
)

// voices are those of the made-up people, by chance of their number.
var voices = []string{"en-us+f2", "en-us+m3", "en-gb+m1", "en-us+f4", "en-gb+f3", "en-us+m7"}

// turns is how long somebody waits for us to speak, and how long they let us go on.
const turns = 12 * time.Second

// about is what they speak of when they have called, or are called; each is said in turn.
var about = [][]string{
	{"It is about the tank behind the greenhouse. Since Monday it has been leaking at the overflow.",
		"Could somebody come and look at it before the weekend?",
		"Thursday morning would suit us. After eight, please.", "Very good. Thank you, goodbye."},
	{"Oh, you are calling about the offer. We had a look at it yesterday.",
		"The larger tank is what we want, but the pump seems too strong for two taps.",
		"Then please send it again with the smaller pump.", "Thank you. Until next week."},
	{"I have only a minute, we are in the middle of the harvest.",
		"Yes, the filter still clogs. We rinse it every evening.",
		"All right, send the finer one, and we will try that.", "Goodbye."},
	{"The leaflet says that you also look after older plants. Ours is from nineteen ninety eight.",
		"Two tanks of five thousand litres, and a controller that nobody understands.",
		"A yearly visit would be enough, I think.", "Please put that in writing. Goodbye."},
}

// spoken is what the person at a number says, the same one tomorrow: hello first where we call, their matter at once
// where they do.
func spoken(number string, calls bool) sim.Script {
	h := fnv.New32a()
	_, _ = h.Write([]byte(number))
	n := int(h.Sum32() >> 1)
	s := sim.Script{Voice: voices[n%len(voices)]}
	hello := []string{"Hello?", "Yes, hello, who is speaking?", "Good day.", "Hello, yes?"}[n/7%4]
	if calls {
		hello = "Good day. I hope I am right with you."
	}
	if calls {
		s.Acts = append(s.Acts, sim.Act{Listen: turns})
	}
	s.Acts = append(s.Acts, sim.Act{Say: hello, Listen: turns})
	for _, line := range about[n/31%len(about)] {
		s.Acts = append(s.Acts, sim.Act{Say: line, Listen: turns})
	}
	return s
}

// machines are numbers at which a machine answers.
var machines = map[string]sim.Script{
	HasVoicemail: {Voice: "en-us+f4",
		Acts: []sim.Act{{Say: "You have reached the town works of Harrow Fen. Nobody can take your call. Please " +
			"leave a message after the tone.", Beep: 1000},
			{Listen: 90 * time.Second}, {Say: "Thank you.", HangUp: true}}},
	HasLowBeep: {Voice: "en-gb+m1",
		Acts: []sim.Act{{Say: "Hi, I am out in the fields. Talk after the beep.", Beep: 440},
			{Listen: 90 * time.Second, HangUp: true}}},
	IsFull: {Voice: "en-us+f4",
		Acts: []sim.Act{{Say: "This mailbox is full. No message can be left. Goodbye.", HangUp: true}}},
	HasMenu: {Voice: "en-us+f2", Acts: []sim.Act{{Say: "Welcome to the brewery. For the office press one. For the " +
		"cellar press two.", Keys: map[string][]sim.Act{
		"1": {{Say: "Office, good day.", Listen: turns},
			{Say: "She is at lunch. Please call again at two.", Listen: turns}},
		"2": {{Say: "Cellar. Speak up, the pumps are running!", Listen: turns}},
	}}}},
	BadLine: {Voice: "en-us+m3", Noise: 900, Loss: 0.08,
		Acts: []sim.Act{{Say: "Hello? I can hardly hear you.", Listen: turns},
			{Say: "The line is bad. I am at the pump house.", Listen: turns}}},
	TalksOn: {Voice: "en-gb+f3", Acts: []sim.Act{{Say: "Good that you call. I have been waiting since Tuesday."},
		{Say: "First the filter, then the float switch, and now the whole thing hums."},
		{Say: "I have told your colleague twice. Twice! And what happens? Nothing."},
		{Say: "So, what do you say?", Listen: turns}}},
}

// prepared are messages that reps leave on voicemails: name and text.
var prepared = [][2]string{
	{"after the show", "Hello, this is Lindenfall Cisterns. You asked us at the spring show about rainwater " +
		"tanks. We will call again tomorrow; or ring us at any time. Goodbye."},
	{"yearly visit", "Hello, this is the service of Lindenfall Cisterns. Your plant is due for its yearly visit. " +
		"Please call us back, so that we find a day that suits you."},
	{"please call back", "Hello, Lindenfall Cisterns here. Please call us back when you have a moment. Thank you."},
}
