//! `--picture`: the whole set, or what one project has to do with, as a graph.

use std::collections::{BTreeMap, BTreeSet};

use eutaxis_core::pins::Lock;
use eutaxis_core::record::{self, NewerRecord};
use eutaxis_core::{Name, Version};

use super::needs::Needs;
use crate::answer::reason::{Edge, Graph, Node};

/// The graph of a lock; of one project with all that it needs and all that need it.
pub(super) fn of(lock: &Lock, project: Option<&Name>) -> Graph {
    let mut places: BTreeMap<&Name, usize> = BTreeMap::new();
    for package in &lock.packages {
        let next = places.len();
        places.entry(&package.name).or_insert(next);
    }
    let mut nodes: Vec<Node> = Vec::new();
    let mut edges: Vec<Edge> = Vec::new();
    let needs = Needs::of(lock);
    for package in &lock.packages {
        let Some(to) = places.get(&package.name).copied() else {
            continue;
        };
        // A project may have several entries, for several places.
        if nodes.len() != to {
            continue;
        }
        let asked = needs.askers(&package.name);
        let asker = |by: &String| places.get(&needs.asker(by)?).copied();
        let all = asked.iter().filter_map(|(by, requirement)| {
            let (from, requirement) = (asker(by)?, requirement.clone());
            Some(Edge {
                from,
                to,
                requirement,
            })
        });
        edges.extend(all);
        let is_final =
            |n: &NewerRecord| Version::parse(&n.version).is_ok_and(|v| !v.is_prerelease());
        let newest = record::newer_of(package).into_iter().find(is_final);
        let own = asked.iter().filter(|(by, _)| asker(by).is_none());
        nodes.push(Node {
            project: package.name.to_string(),
            version: package.version.clone(),
            asked: own.map(|(by, text)| format!("{text} ({by})")).collect(),
            newest: newest.map(|n| n.version),
            is_subject: project == Some(&package.name),
        });
    }
    let graph = Graph {
        project: project.map(Name::to_string),
        nodes,
        edges,
    };
    match project.and_then(|p| places.get(p)) {
        None => graph,
        Some(subject) => about(graph, *subject),
    }
}

/// What one project has to do with.
fn about(graph: Graph, subject: usize) -> Graph {
    let reached = |next: &dyn Fn(&Edge) -> (usize, usize)| {
        let mut found = BTreeSet::from([subject]);
        let mut open = vec![subject];
        while let Some(at) = open.pop() {
            for (from, to) in graph.edges.iter().map(next) {
                if from == at && found.insert(to) {
                    open.push(to);
                }
            }
        }
        found
    };
    let below = reached(&|e| (e.from, e.to));
    let above = reached(&|e| (e.to, e.from));
    let stays = |e: &Edge| {
        [&below, &above]
            .iter()
            .any(|side| side.contains(&e.from) && side.contains(&e.to))
    };
    let kept: Vec<usize> = below.union(&above).copied().collect();
    let place = |old: usize| kept.binary_search(&old).ok();
    let edges = graph.edges.iter().filter(|e| stays(e)).filter_map(|e| {
        Some(Edge {
            from: place(e.from)?,
            to: place(e.to)?,
            requirement: e.requirement.clone(),
        })
    });
    let edges = edges.collect();
    let nodes = graph.nodes.into_iter().enumerate();
    let nodes = nodes.filter(|(i, _)| kept.contains(i)).map(|(_, n)| n);
    Graph {
        project: graph.project,
        nodes: nodes.collect(),
        edges,
    }
}
