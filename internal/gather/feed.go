package gather

import (
	"bytes"
	"fmt"
	"net/url"
	"path"
	"strings"
	"time"

	"github.com/mmcdole/gofeed"
	ext "github.com/mmcdole/gofeed/extensions"
)

// MaxFeedBytes is how much of a feed is read.
const MaxFeedBytes = 10 << 20

// FeedEntry is one entry of a feed.
type FeedEntry struct {
	Title    string
	Address  string   // its page, absolute
	Media    string   // its clip, absolute; "" when it has none
	Captions []string // files with what is said, absolute, the best first
	Changed  string   // W3C date, "" when not told
}

// ParseFeed reads RSS 0.9 to 2.0, Atom (RFC 4287) and JSON Feed, with their enclosures, Media RSS contents and Podcast
// namespace transcripts. Addresses are resolved against the feed's.
func ParseFeed(body []byte, address string) ([]FeedEntry, error) {
	base, err := url.Parse(address)
	if err != nil {
		return nil, fmt.Errorf("address %q: %w", address, err)
	}
	f, err := gofeed.NewParser().Parse(bytes.NewReader(body))
	if err != nil {
		return nil, fmt.Errorf("feed %s: %w", address, err)
	}
	abs := func(ref string) string {
		u, err := base.Parse(strings.TrimSpace(ref))
		if err != nil || ref == "" || u.Scheme != "http" && u.Scheme != "https" {
			return ""
		}
		return u.String()
	}
	var out []FeedEntry
	for _, it := range f.Items {
		e := FeedEntry{Title: strings.TrimSpace(it.Title), Address: abs(it.Link)}
		if at := it.UpdatedParsed; at != nil {
			e.Changed = at.UTC().Format(time.RFC3339)
		} else if at := it.PublishedParsed; at != nil {
			e.Changed = at.UTC().Format(time.RFC3339)
		}
		for _, x := range it.Enclosures {
			if strings.HasPrefix(x.Type, "audio/") || strings.HasPrefix(x.Type, "video/") || Media(x.URL) {
				e.Media = abs(x.URL)
			}
		}
		each(it.Extensions["media"], func(name string, x ext.Extension) {
			switch {
			case name == "content" && e.Media == "" && (Media(x.Attrs["url"]) || strings.HasPrefix(x.Attrs["type"], "video/") || strings.HasPrefix(x.Attrs["type"], "audio/")):
				e.Media = abs(x.Attrs["url"])
			case name == "subTitle":
				e.Captions = append(e.Captions, abs(x.Attrs["href"]))
			}
		})
		each(it.Extensions["podcast"], func(name string, x ext.Extension) {
			if name == "transcript" && captions(x.Attrs["url"], x.Attrs["type"]) {
				e.Captions = append(e.Captions, abs(x.Attrs["url"]))
			}
		})
		out = append(out, e)
	}
	return out, nil
}

// each visits a namespace's elements, nested ones too.
func each(of map[string][]ext.Extension, do func(name string, x ext.Extension)) {
	for name, list := range of {
		for _, x := range list {
			do(name, x)
			each(x.Children, do)
		}
	}
}

func captions(address, mediaType string) bool {
	switch ending(address) {
	case ".vtt", ".srt", ".ttml", ".dfxp":
		return true
	}
	return mediaType == "text/vtt" || mediaType == "application/x-subrip" || mediaType == "application/srt" || mediaType == "application/ttml+xml"
}

func ending(address string) string {
	if u, err := url.Parse(address); err == nil {
		return strings.ToLower(path.Ext(u.Path))
	}
	return ""
}

// Media reports whether an address ends like a film or a recording.
func Media(address string) bool {
	switch ending(address) {
	case ".mp4", ".m4v", ".webm", ".mov", ".ogv", ".mp3", ".m4a", ".ogg", ".oga", ".wav", ".aac", ".flac", ".opus", ".mkv", ".avi":
		return true
	}
	return false
}
