// Made by `yalvo types --for swift` from the design of fenwatch. Make it anew when the design has changed.

import Foundation

/// Reads and writes what the service answers and takes: times have fractions of a second.
public enum Wire {
    public static func decoder() -> JSONDecoder {
        let decoder = JSONDecoder()
        decoder.dateDecodingStrategy = .custom { from in
            let text = try from.singleValueContainer().decode(String.self)
            for options: ISO8601DateFormatter.Options in [[.withInternetDateTime, .withFractionalSeconds], [.withInternetDateTime]] {
                let format = ISO8601DateFormatter()
                format.formatOptions = options
                if let date = format.date(from: text) { return date }
            }
            throw DecodingError.dataCorrupted(.init(codingPath: from.codingPath, debugDescription: "\(text) is no time"))
        }
        return decoder
    }

    public static func encoder() -> JSONEncoder {
        let encoder = JSONEncoder()
        encoder.dateEncodingStrategy = .custom { date, to in
            let format = ISO8601DateFormatter()
            format.formatOptions = [.withInternetDateTime, .withFractionalSeconds]
            var container = to.singleValueContainer()
            try container.encode(format.string(from: date))
        }
        return encoder
    }
}

/// A document with its facts and kept values. `building` names kept values that are being derived anew.
public struct Document<Facts: Decodable, Kept: Decodable>: Decodable {
    public let id: String
    public let path: String
    public let version: Int
    public let created: Date
    public let updated: Date
    public let facts: Facts
    public let kept: Kept
    public let building: [String]?
    public let since: Date?
    public let top: Bool?
    public let marks: [String: Mark?]?
}

/// An entry of a timeline.
public struct Entry<Facts: Decodable, Kept: Decodable>: Decodable {
    public let id: String
    public let path: String
    public let at: Date
    public let author: String
    public let facts: Facts
    public let kept: Kept
    public let building: [String]?
    public let marks: [String: Mark?]?
}

/// How the caller is paired with something.
public struct Mark: Decodable {
    public let since: Date
}

/// A page of documents; `next` is the cursor of the following one.
public struct Page<Element: Decodable>: Decodable {
    public let documents: [Element]
    public let next: String?
}

/// What may be written of members.
public struct MembersFacts: Codable, Hashable {
    public var handle: String
    public var name: String
    public var about: String?
    public var portrait: String?
    public var joined: Date?
    public var muted: Bool?
    public var warden: Bool?
    public var pinned: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case about = "about"
        case portrait = "portrait"
        case joined = "joined"
        case muted = "muted"
        case warden = "warden"
        case pinned = "pinned"
    }
}

/// What is kept for members.
public struct MembersKept: Decodable, Hashable {
    public var followerCount: Int
    public var followingCount: Int
    public var sightingCount: Int
    public var birdsSeen: Double
    public var mostAtOnce: Int?
    public var trusted: Double

    enum CodingKeys: String, CodingKey {
        case followerCount = "follower_count"
        case followingCount = "following_count"
        case sightingCount = "sighting_count"
        case birdsSeen = "birds_seen"
        case mostAtOnce = "most_at_once"
        case trusted = "trusted"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        followerCount = try values.decodeIfPresent(Int.self, forKey: .followerCount) ?? 0
        followingCount = try values.decodeIfPresent(Int.self, forKey: .followingCount) ?? 0
        sightingCount = try values.decodeIfPresent(Int.self, forKey: .sightingCount) ?? 0
        birdsSeen = try values.decodeIfPresent(Double.self, forKey: .birdsSeen) ?? 0
        mostAtOnce = try values.decodeIfPresent(Int.self, forKey: .mostAtOnce)
        trusted = try values.decodeIfPresent(Double.self, forKey: .trusted) ?? 0
    }
}

/// The spot of Sightings.
public struct SightingsSpot: Codable, Hashable {
    public var name: String
    public var lat: Double?
    public var lon: Double?

    enum CodingKeys: String, CodingKey {
        case name = "name"
        case lat = "lat"
        case lon = "lon"
    }
}

/// What may be written of sightings.
public struct SightingsFacts: Codable, Hashable {
    public var text: String
    public var photo: String?
    public var spot: SightingsSpot?
    public var species: [String]?
    public var birds: Int?
    public var hidden: Bool?
    public var author: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case photo = "photo"
        case spot = "spot"
        case species = "species"
        case birds = "birds"
        case hidden = "hidden"
        case author = "author"
    }
}

/// What byline of Sightings shows.
public struct SightingsByline: Decodable, Hashable {
    public var handle: String?
    public var name: String?
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        handle = try values.decodeIfPresent(String.self, forKey: .handle)
        name = try values.decodeIfPresent(String.self, forKey: .name)
        portrait = try values.decodeIfPresent(String.self, forKey: .portrait)
    }
}

/// What byline of SightingsLastRemarks shows.
public struct SightingsLastRemarksByline: Decodable, Hashable {
    public var handle: String?
    public var name: String?
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        handle = try values.decodeIfPresent(String.self, forKey: .handle)
        name = try values.decodeIfPresent(String.self, forKey: .name)
        portrait = try values.decodeIfPresent(String.self, forKey: .portrait)
    }
}

/// What last_remarks of Sightings shows.
public struct SightingsLastRemarks: Decodable, Hashable {
    public var id: String
    public var path: String
    public var text: String?
    public var byline: SightingsLastRemarksByline?

    enum CodingKeys: String, CodingKey {
        case id = "id"
        case path = "path"
        case text = "text"
        case byline = "byline"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        id = try values.decode(String.self, forKey: .id)
        path = try values.decode(String.self, forKey: .path)
        text = try values.decodeIfPresent(String.self, forKey: .text)
        byline = try values.decodeIfPresent(SightingsLastRemarksByline.self, forKey: .byline)
    }
}

/// What is kept for sightings.
public struct SightingsKept: Decodable, Hashable {
    public var byline: SightingsByline?
    public var remarkCount: Int
    public var likeCount: Int
    public var savedCount: Int
    public var agreement: Double
    public var doubtCount: Int
    public var lastRemarks: [SightingsLastRemarks]

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
        case remarkCount = "remark_count"
        case likeCount = "like_count"
        case savedCount = "saved_count"
        case agreement = "agreement"
        case doubtCount = "doubt_count"
        case lastRemarks = "last_remarks"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
        remarkCount = try values.decodeIfPresent(Int.self, forKey: .remarkCount) ?? 0
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
        savedCount = try values.decodeIfPresent(Int.self, forKey: .savedCount) ?? 0
        agreement = try values.decodeIfPresent(Double.self, forKey: .agreement) ?? 0
        doubtCount = try values.decodeIfPresent(Int.self, forKey: .doubtCount) ?? 0
        lastRemarks = try values.decodeIfPresent([SightingsLastRemarks].self, forKey: .lastRemarks) ?? []
    }
}

/// What may be written of remarks.
public struct RemarksFacts: Codable, Hashable {
    public var text: String
    public var author: String

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case author = "author"
    }
}

/// What byline of Remarks shows.
public struct RemarksByline: Decodable, Hashable {
    public var handle: String?
    public var name: String?
    public var portrait: String?

    enum CodingKeys: String, CodingKey {
        case handle = "handle"
        case name = "name"
        case portrait = "portrait"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        handle = try values.decodeIfPresent(String.self, forKey: .handle)
        name = try values.decodeIfPresent(String.self, forKey: .name)
        portrait = try values.decodeIfPresent(String.self, forKey: .portrait)
    }
}

/// What is kept for remarks.
public struct RemarksKept: Decodable, Hashable {
    public var byline: RemarksByline?

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(RemarksByline.self, forKey: .byline)
    }
}

/// The facts of a verdict.
public struct VerdictPair: Codable, Hashable {
    public var value: Int

    enum CodingKeys: String, CodingKey {
        case value = "value"
    }
}

/// The facts that an entry of home carries.
public struct HomeEntryFacts: Codable, Hashable {
    public var text: String
    public var photo: String?
    public var spot: SightingsSpot?

    enum CodingKeys: String, CodingKey {
        case text = "text"
        case photo = "photo"
        case spot = "spot"
    }
}

/// The kept values that an entry of home carries.
public struct HomeEntryKept: Decodable, Hashable {
    public var byline: SightingsByline?
    public var likeCount: Int
    public var remarkCount: Int
    public var agreement: Double

    enum CodingKeys: String, CodingKey {
        case byline = "byline"
        case likeCount = "like_count"
        case remarkCount = "remark_count"
        case agreement = "agreement"
    }

    public init(from decoder: Decoder) throws {
        let values = try decoder.container(keyedBy: CodingKeys.self)
        byline = try values.decodeIfPresent(SightingsByline.self, forKey: .byline)
        likeCount = try values.decodeIfPresent(Int.self, forKey: .likeCount) ?? 0
        remarkCount = try values.decodeIfPresent(Int.self, forKey: .remarkCount) ?? 0
        agreement = try values.decodeIfPresent(Double.self, forKey: .agreement) ?? 0
    }
}

/// One of members.
public typealias Members = Document<MembersFacts, MembersKept>
/// One of sightings.
public typealias Sightings = Document<SightingsFacts, SightingsKept>
/// One of remarks.
public typealias Remarks = Document<RemarksFacts, RemarksKept>
/// An entry of the timeline home.
public typealias HomeEntry = Entry<HomeEntryFacts, HomeEntryKept>
