package report

// Ready is a report that comes with the program.
type Ready struct {
	Key, Name, Group string
	Query            Query
	Period           Period
	Beside           string // "none", "before", "usual"
}

func only(facet string, values ...string) []Condition {
	return []Condition{{Facet: facet, Values: values}}
}

// ReadyReports are those that come with the program, in their order: for reps, for who leads, for owners, for
// marketing.
var ReadyReports = []Ready{
	{
		"day",
		"My day beside a usual one",
		"For reps",
		Query{Figures: []string{"conversations", "calls", "talk", "reached_share"},
			By: "hour"},
		"today",
		"usual",
	},
	{
		"works",
		"Which outcomes come at which hour",
		"For reps",
		Query{Figures: []string{"conversion", "outcomes", "conversations"},
			By: "hour", Where: only("way", "outbound")},
		"30d",
		"none",
	},
	{
		"numbers",
		"Which shown number is answered",
		"For reps",
		Query{Figures: []string{"reached_share", "outbound", "conversations"},
			By: "shown", Where: only("way", "outbound")},
		"30d",
		"before",
	},
	{
		"reps",
		"Conversations by rep",
		"For supervisors",
		Query{Figures: []string{"conversations", "calls", "reached_share", "talk",
			"talk_average", "wrap_up"}, By: "rep"},
		"30d",
		"before",
	},
	{
		"queues",
		"Service level by queue",
		"For supervisors",
		Query{Figures: []string{"service_level", "wait", "abandoned_share",
			"first_call"}, By: "queue"},
		"30d",
		"before",
	},
	{
		"hours",
		"When callers wait",
		"For supervisors",
		Query{Figures: []string{"wait", "inbound", "abandoned", "missed"}, By: "hour",
			Where: only("way", "inbound")},
		"30d",
		"before",
	},
	{
		"voices",
		"How we talk",
		"For supervisors",
		Query{Figures: []string{"talk_share", "silence", "overlap", "monologue"}, By: "rep",
			Where: only("has", "recording")},
		"90d",
		"none",
	},
	{
		"topics",
		"What is talked about",
		"For supervisors",
		Query{Figures: []string{"conversations", "satisfaction"}, By: "topic"},
		"90d",
		"none",
	},
	{
		"satisfied",
		"Satisfaction by week",
		"For owners",
		Query{Figures: []string{"satisfaction", "first_call", "quality"}, By: "week"},
		"90d",
		"none",
	},
	{
		"months",
		"Calls by month",
		"For owners",
		Query{Figures: []string{"calls", "inbound", "outbound", "conversations", "talk"},
			By: "month"},
		"365d",
		"none",
	},
	{
		"missed",
		"Missed and returned by line",
		"For owners",
		Query{Figures: []string{"missed", "answered_share", "unreturned",
			"time_to_return"}, By: "line", Where: only("way", "inbound")},
		"30d",
		"before",
	},
	{
		"outcomes",
		"What came of calls",
		"For owners",
		Query{Figures: []string{"outcomes", "conversations"}, By: "outcome"},
		"30d",
		"before",
	},
	{
		"sources",
		"Calls by source",
		"For marketing",
		Query{Figures: []string{"inbound", "answered_share", "conversations"},
			By: "source", Where: only("way", "inbound")},
		"90d",
		"before",
	},
	{
		"lists",
		"Lists and what they brought",
		"For marketing",
		Query{Figures: []string{"reached_share", "outbound", "conversations",
			"touches"}, By: "list", Where: only("way", "outbound")},
		"90d",
		"none",
	},
}
